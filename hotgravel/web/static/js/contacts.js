// Where bodies press on something at a frame: a point at each contact, and a line along its normal, longer where it presses harder.
import * as THREE from "../vendor/three/three.module.js";
import { fetchPacked } from "./wire.js";

const COLOUR = "#E3B23C";

export class Contacts {
  constructor(stage) {
    this.stage = stage;
    this.points = null;
    this.lines = null;
    this.wanted = "";
    this.on = false;
  }

  async show(run, frame) {
    const wish = this.on ? `${run} ${frame}` : "";
    if (this.wanted === wish) return;
    this.wanted = wish;
    if (!wish) { this.clear(); return; }
    const got = await fetchPacked(`/runs/${run}/frames/${frame}/records/contacts.bin`);
    if (this.wanted === wish) this.build(got?.groups[0]);
  }

  build(told) {
    this.clear();
    if (!told?.count) { this.stage.later(); return; }
    const most = Math.max(...told.impulse, 1e-9), size = 0.04 * this.stage.camera.position.distanceTo(this.stage.controls.target);
    const ends = new Float32Array(6 * told.count);
    for (let i = 0; i < told.count; i++) {
      const long = size * (0.3 + 0.7 * Math.sqrt(told.impulse[i] / most));
      for (let c = 0; c < 3; c++) {
        ends[6 * i + c] = told.place[3 * i + c];
        ends[6 * i + 3 + c] = told.place[3 * i + c] + long * told.normal[3 * i + c];
      }
    }
    const at = new THREE.BufferGeometry().setAttribute("position", new THREE.BufferAttribute(told.place.slice(), 3));
    const along = new THREE.BufferGeometry().setAttribute("position", new THREE.BufferAttribute(ends, 3));
    this.points = new THREE.Points(at, new THREE.PointsMaterial({ color: COLOUR, size: 5, sizeAttenuation: false, depthTest: false, fog: false, toneMapped: false }));
    this.lines = new THREE.LineSegments(along, new THREE.LineBasicMaterial({ color: COLOUR, depthTest: false, fog: false, toneMapped: false }));
    for (const made of [this.points, this.lines]) { made.frustumCulled = false; this.stage.scene.add(made); }
    this.stage.later();
  }

  clear() {
    for (const old of [this.points, this.lines]) if (old) { this.stage.scene.remove(old); old.geometry.dispose(); old.material.dispose(); }
    this.points = this.lines = null;
    this.stage.later();
  }
}
