// Streaks: a line behind each particle, through where it was in the frames before.
import * as THREE from "../vendor/three/three.module.js";
import { fetchPacked } from "./wire.js";

export class Streaks {
  constructor(stage) {
    this.stage = stage;
    this.lines = new Map();
    this.wanted = "";
  }

  async show(run, frame, rows) {
    const wish = `${run} ${frame}`;
    if (this.wanted === wish) return;
    this.wanted = wish;
    for (const id of [...this.lines.keys()]) if (!rows.includes(id)) this.remove(id);
    await Promise.all(rows.map(async (id) => {
      const got = await fetchPacked(`/runs/${run}/frames/${frame}/streaks/${id}.bin`);
      if (got && this.wanted === wish) this.build(id, got.groups[0]);
    }));
  }

  build(id, { points, colour }) {
    this.remove(id);
    const many = colour.length, long = many ? points.length / 3 / many : 0;
    if (long < 2) return;
    const index = new Uint32Array(2 * many * (long - 1)), colours = new Float32Array(points.length), c = new THREE.Color();
    for (let i = 0, k = 0; i < many; i++) {
      for (let j = 0; j < long; j++) {
        const at = i * long + j;
        if (j < long - 1) { index[k++] = at; index[k++] = at + 1; }
        c.setHex(colour[i]).multiplyScalar(1 - j / (long - 1)).toArray(colours, 3 * at);
      }
    }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(points, 3));
    geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
    geometry.setIndex(new THREE.BufferAttribute(index, 1));
    const material = new THREE.LineBasicMaterial({ vertexColors: true, transparent: true, blending: THREE.AdditiveBlending, depthWrite: false, fog: false, toneMapped: false });
    const lines = new THREE.LineSegments(geometry, material);
    lines.frustumCulled = false;
    this.lines.set(id, lines);
    this.stage.scene.add(lines);
    this.stage.later();
  }

  remove(id) {
    const old = this.lines.get(id);
    if (!old) return;
    this.stage.scene.remove(old);
    old.geometry.dispose();
    old.material.dispose();
    this.lines.delete(id);
  }

  clear() { for (const id of [...this.lines.keys()]) this.remove(id); this.wanted = ""; }
}
