// Meshes that deform: what hangs together is kept once a run, and its vertices follow the elements of each frame
// (core/matter/drape.py).
import * as THREE from "../vendor/three/three.module.js";
import { shaded } from "./light.js";
import { fetchPacked } from "./wire.js";

const LEFT = 0.1; // where less is left of a skin, it is cut away (core/matter/drape.py)
const BITS = 31; // corners of faces at one vertex that can be told apart

// The number of each corner among those at its vertex, in the order of faces.
function numbered(nodes, faces) {
  const many = new Map();
  return Uint32Array.from(faces, (k) => {
    const vertex = nodes[4 * k], number = many.get(vertex) ?? 0;
    many.set(vertex, number + 1);
    return number;
  });
}

// Lit as all else is, and cut along where a tenth is left.
function eaten(shader) {
  shaded(shader);
  shader.vertexShader = shader.vertexShader
    .replace("#include <common>", "#include <common>\nattribute float left;\nvarying float vLeft;")
    .replace("#include <begin_vertex>", "#include <begin_vertex>\nvLeft = left;");
  shader.fragmentShader = shader.fragmentShader
    .replace("#include <common>", "#include <common>\nvarying float vLeft;")
    .replace("#include <clipping_planes_fragment>", `if (vLeft < ${LEFT.toFixed(2)}) discard;\n#include <clipping_planes_fragment>`);
}

export class Drapes {
  constructor(stage) {
    this.stage = stage;
    this.object = new THREE.Group();
    this.made = [];
    this.run = null;
  }

  resize() {}

  async load(run, matter) {
    this.run = run;
    this.drop();
    const got = await fetchPacked(`/runs/${run}/meshes/${matter}.bin`);
    if (!got || this.run !== run) return;
    this.made = got.groups.map(({ nodes, shares, faces }) => {
      const geometry = new THREE.BufferGeometry(), material = new THREE.MeshLambertMaterial({ vertexColors: true, side: THREE.DoubleSide });
      material.onBeforeCompile = eaten;
      const corners = nodes.length / 4;
      this.allot(geometry, corners);
      geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(faces), 1));
      const mesh = new THREE.Mesh(geometry, material);
      mesh.frustumCulled = false;
      mesh.castShadow = mesh.receiveShadow = true;
      this.object.add(mesh);
      return { mesh, geometry, nodes, shares, faces, corners, numbers: null };
    });
    if (this.wanted) this.show(run, ...this.wanted);
  }

  allot(geometry, corners) {
    for (const name of ["position", "color"]) geometry.setAttribute(name, new THREE.BufferAttribute(new Float32Array(3 * corners), 3));
    geometry.setAttribute("left", new THREE.BufferAttribute(new Float32Array(corners).fill(1), 1));
  }

  show(run, crowd, look, blur) {
    this.wanted = [crowd, look, blur];
    if (this.run !== run) { this.load(run, crowd.name); return; }
    let last = 0;
    for (let i = 0; i < crowd.count; i++) last = Math.max(last, crowd.vertex[i]);
    const at = new Int32Array(last + 1).fill(-1);
    // Where cloth is torn, an element has some of the corners at its vertex, as bits.
    const torn = new Map();
    for (let i = 0; i < crowd.count; i++) {
      const part = (crowd.corners?.[i] ?? 0) & 0x7fffffff, vertex = crowd.vertex[i];
      if (part === 0 || part & 1) at[vertex] = i;
      for (let b = 0; b < BITS; b++) if (part & (1 << b)) torn.set(vertex * BITS + b, i);
      if (part) torn.set(-1 - vertex, i);
    }
    for (const made of this.made) this.lay(made, crowd, look, at, torn);
    this.stage.shadowed = null;
    this.stage.later();
  }

  // Each corner lies where its vertices have it, by their shares; faces that have lost one are not drawn.
  lay(made, { position: p, left }, { colours }, at, torn) {
    const { mesh, geometry, nodes, shares, faces } = made, more = torn.size ? this.parted(made, at, torn) : null;
    const corners = made.corners + (more?.rows.length ?? 0);
    if (corners > geometry.attributes.left.count) this.allot(geometry, 2 * corners);
    const place = geometry.attributes.position.array, paint = geometry.attributes.color.array, there = new Uint8Array(corners);
    const whole = geometry.attributes.left.array;
    for (let k = 0; k < corners; k++) {
      let kept = true;
      const alone = k >= made.corners;
      if (left) whole[k] = 0;
      for (let c = 0; c < 3; c++) place[3 * k + c] = paint[3 * k + c] = 0;
      for (let n = 4 * k; n < 4 * k + (alone ? 1 : 4); n++) {
        const row = alone ? more.rows[k - made.corners] : at[nodes[n]] ?? -1, share = alone ? 1 : shares[n];
        if (row < 0) { kept = false; break; }
        if (left) whole[k] += share * left[row];
        for (let c = 0; c < 3; c++) { place[3 * k + c] += share * p[3 * row + c]; paint[3 * k + c] += share * colours[3 * row + c]; }
      }
      there[k] = Number(kept);
    }
    const index = geometry.index.array;
    let count = 0;
    const laid = more?.faces ?? faces;
    for (let f = 0; f < laid.length; f += 3) {
      if (!(there[laid[f]] && there[laid[f + 1]] && there[laid[f + 2]])) continue;
      if (Math.max(whole[laid[f]], whole[laid[f + 1]], whole[laid[f + 2]]) < LEFT) continue;
      for (let c = 0; c < 3; c++) index[count++] = laid[f + c];
    }
    geometry.setDrawRange(0, count);
    for (const name of ["position", "color", "left"]) geometry.attributes[name].needsUpdate = true;
    geometry.index.needsUpdate = true;
    geometry.computeVertexNormals();
    mesh.visible = count > 0;
  }

  // Faces of a skin as it is torn: corners that have come off their vertex are counted on after its own, each with the
  // row of its element; -1 where that is gone.
  parted(made, at, torn) {
    made.numbers ??= numbered(made.nodes, made.faces);
    const rows = [], added = new Map();
    const faces = Uint32Array.from(made.faces, (k, n) => {
      const vertex = made.nodes[4 * k];
      if (!torn.has(-1 - vertex)) return k;
      const row = torn.get(vertex * BITS + made.numbers[n]) ?? -1;
      if (row >= 0 && row === at[vertex]) return k;
      if (!added.has(row)) { added.set(row, made.corners + rows.length); rows.push(row); }
      return added.get(row);
    });
    return rows.length ? { rows, faces } : null;
  }

  drop() {
    for (const { mesh, geometry } of this.made) { this.object.remove(mesh); geometry.dispose(); mesh.material.dispose(); }
    this.made = [];
  }

  clear() { for (const { mesh } of this.made) mesh.visible = false; this.wanted = null; }
}
