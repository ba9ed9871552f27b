// Pieces: meshes that are kept once a run, each drawn as often as there are elements with it.
import * as THREE from "../vendor/three/three.module.js";
import { Outlines } from "./outlines.js";
import { roughen } from "./roughen.js";
import { fetchPacked } from "./wire.js";

export class Pieces {
  constructor(stage) {
    this.stage = stage;
    this.object = new THREE.Group();
    this.meshes = [];
    this.outlines = new Outlines(stage);
    this.run = null;
  }

  resize() {}

  async load(run, matter) {
    this.run = run;
    this.hide();
    const got = await fetchPacked(`/runs/${run}/meshes/${matter}.bin`);
    if (!got || this.run !== run) return;
    for (const old of this.object.children.slice()) { old.geometry.dispose(); old.dispose(); this.object.remove(old); }
    this.meshes = got.groups.map(({ vertices, faces, normals, outline }) => {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(vertices, 3));
      geometry.setAttribute("normal", new THREE.BufferAttribute(normals, 3));
      geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(faces), 1));
      return { geometry, outline: outline ?? new Float32Array(0), instances: null };
    });
    if (this.wanted) this.show(run, ...this.wanted);
  }

  show(run, crowd, look, blur) {
    this.wanted = [crowd, look, blur];
    if (this.run !== run) { this.load(run, crowd.name); return; }
    const counts = this.meshes.map(() => 0);
    for (let i = 0; i < crowd.count; i++) counts[crowd.piece[i]]++;
    this.meshes.forEach((mesh, n) => this.room(mesh, counts[n] ?? 0));
    const at = new THREE.Vector3(), turn = new THREE.Quaternion(), size = new THREE.Vector3(), pose = new THREE.Matrix4(), colour = new THREE.Color();
    const filled = this.meshes.map(() => 0);
    for (let i = 0; i < crowd.count; i++) {
      const n = crowd.piece[i], instances = this.meshes[n]?.instances;
      if (!instances) continue;
      pose.compose(at.fromArray(crowd.position, 3 * i), turn.fromArray(crowd.turn, 4 * i), size.setScalar(crowd.scale[i]));
      instances.setMatrixAt(filled[n], pose);
      instances.setColorAt(filled[n]++, colour.fromArray(look.colours, 3 * i));
    }
    for (const { instances } of this.meshes) {
      if (!instances) continue;
      instances.instanceMatrix.needsUpdate = true;
      if (instances.instanceColor) instances.instanceColor.needsUpdate = true;
    }
    this.outlines.show(crowd, this.meshes);
    this.stage.later();
  }

  // An instanced mesh with room for so many.
  room(mesh, count) {
    if (!mesh.instances || mesh.instances.instanceMatrix.count < count) {
      if (mesh.instances) { this.object.remove(mesh.instances); mesh.instances.dispose(); }
      const material = new THREE.MeshLambertMaterial();
      roughen(material);
      mesh.instances = new THREE.InstancedMesh(mesh.geometry, material, Math.max(count, 1));
      mesh.instances.frustumCulled = false;
      mesh.instances.castShadow = mesh.instances.receiveShadow = true;
      this.object.add(mesh.instances);
    }
    mesh.instances.count = count;
  }

  hide() { this.outlines.clear(); for (const { instances } of this.meshes) if (instances) instances.count = 0; }

  clear() { this.hide(); this.wanted = null; }
}
