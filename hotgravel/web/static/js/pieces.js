// Pieces: meshes that are kept once a run, each drawn as often as there are elements with it, all at once.
import * as THREE from "../vendor/three/three.module.js";
import { glass } from "./light.js";
import { Outlines } from "./outlines.js";
import { roughen } from "./roughen.js";
import { fetchPacked } from "./wire.js";

const DARKEST = 1e-3;  // of light: darker paint is no measure of what lies inside

// What the colour of a piece is multiplied by at each corner: where a cut has made the face it has the colour inside.
function insides(count, inner, colour) {
  const out = new Float32Array(3 * count).fill(1);
  if (!inner) return out;
  const [outer, inside] = [colour[0], colour[1]].map((hex) => new THREE.Color().setHex(hex));
  const ratio = ["r", "g", "b"].map((c) => inside[c] / Math.max(outer[c], DARKEST));
  for (let i = 0; i < count; i++) if (inner[i]) out.set(ratio, 3 * i);
  return out;
}

// All pieces of one look, drawn at once.
function batchOf(groups, isClear) {
  const total = (name) => groups.reduce((sum, group) => sum + group[name].length, 0);
  const material = isClear ? glass() : new THREE.MeshLambertMaterial();
  if (!isClear) roughen(material);
  const batch = new THREE.BatchedMesh(groups.length, total("vertices") / 3, total("faces"), material);
  batch.frustumCulled = batch.perObjectFrustumCulled = batch.sortObjects = false;
  batch.castShadow = !isClear;
  batch.receiveShadow = true;
  batch.renderOrder = isClear ? 1 : 0;
  return batch;
}

export class Pieces {
  constructor(stage) {
    this.stage = stage;
    this.object = new THREE.Group();
    this.meshes = [];
    this.batches = [];
    this.outlines = new Outlines(stage);
    this.run = null;
  }

  resize() {}

  async load(run, matter) {
    this.run = run;
    this.hide();
    const got = await fetchPacked(`/runs/${run}/meshes/${matter}.bin`);
    if (!got || this.run !== run) return;
    for (const batch of this.batches) { this.object.remove(batch); batch.dispose(); batch.material.dispose(); }
    const clear = new Set(this.stage.props.filter((prop) => prop.shine === "clear").map((prop) => prop.key));
    const [whole, seenThrough] = [false, true].map((wanted) => got.groups.filter((group) => clear.has(group.prop?.[0]) === wanted));
    this.batches = [[whole, false], [seenThrough, true]].filter(([groups]) => groups.length).map(([groups, isClear]) => batchOf(groups, isClear));
    this.object.add(...this.batches);
    const batchFor = (group) => this.batches[seenThrough.includes(group) && whole.length ? 1 : 0];
    this.meshes = got.groups.map((group) => {
      const { vertices, faces, normals, inner, colour, outline } = group, batch = batchFor(group);
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(vertices, 3));
      geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 3));
      geometry.setAttribute("color", new THREE.BufferAttribute(insides(vertices.length / 3, inner, colour), 3));
      geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(faces), 1));
      return { geometry, batch, id: batch.addGeometry(geometry), outline: outline ?? new Float32Array(0), places: [], count: 0 };
    });
    if (this.wanted) this.show(run, ...this.wanted);
  }

  show(run, crowd, look, blur) {
    this.wanted = [crowd, look, blur];
    if (this.run !== run) { this.load(run, crowd.name); return; }
    const at = new THREE.Vector3(), turn = new THREE.Quaternion(), size = new THREE.Vector3(), pose = new THREE.Matrix4(), colour = new THREE.Vector4();
    const faded = crowd.faded?.some((share) => share > 0) ?? false;
    for (const { material } of this.batches) {
      if (material.vertexColors === look.painted && material.alphaHash === faded) continue;
      Object.assign(material, { vertexColors: look.painted, alphaHash: faded, needsUpdate: true });
    }
    for (const mesh of this.meshes) mesh.count = 0;
    for (let i = 0; i < crowd.count; i++) {
      const mesh = this.meshes[crowd.piece[i]];
      if (!mesh) continue;
      const place = this.room(mesh, mesh.count++);
      pose.compose(at.fromArray(crowd.position, 3 * i), turn.fromArray(crowd.turn, 4 * i), size.setScalar(crowd.scale[i]));
      mesh.batch.setMatrixAt(place, pose);
      colour.set(...look.colours.subarray(3 * i, 3 * i + 3), 1 - (crowd.faded?.[i] ?? 0));
      mesh.batch.setColorAt(place, colour);
    }
    this.rest();
    this.outlines.show(crowd, this.meshes);
    this.stage.later();
  }

  // Where the nth body that is drawn with a mesh is among all that are drawn.
  room(mesh, n) {
    if (n === mesh.places.length) {
      const { batch } = mesh;
      if (batch.instanceCount === batch.maxInstanceCount) batch.setInstanceCount(2 * batch.maxInstanceCount);
      mesh.places.push(batch.addInstance(mesh.id));
    }
    return mesh.places[n];
  }

  // Those that no body needs are not drawn.
  rest() { for (const { places, count, batch } of this.meshes) places.forEach((place, n) => batch.setVisibleAt(place, n < count)); }

  hide() { this.outlines.clear(); for (const mesh of this.meshes) mesh.count = 0; this.rest(); }

  clear() { this.hide(); this.wanted = null; }
}
