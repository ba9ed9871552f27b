// The shapes that bodies meet others with, as lines along their edges, and the three axes of their inertia.
import * as THREE from "../vendor/three/three.module.js";

const EDGES = new THREE.Color("#E3B23C"), AXES = ["#C8431B", "#5E7D4F", "#2F5D7C"].map((c) => new THREE.Color(c));

export class Outlines {
  constructor(stage) {
    this.stage = stage;
    this.lines = null;
  }

  show(crowd, meshes) {
    this.clear();
    if (!this.stage.outlined) return;
    const at = [], paint = [], place = new THREE.Vector3(), turn = new THREE.Quaternion(), p = new THREE.Vector3();
    const add = (x, y, z, size, colour) => {
      p.set(x, y, z).multiplyScalar(size).applyQuaternion(turn).add(place);
      at.push(p.x, p.y, p.z);
      paint.push(colour.r, colour.g, colour.b);
    };
    for (let i = 0; i < crowd.count; i++) {
      const outline = meshes[crowd.piece[i]]?.outline ?? [], size = crowd.scale[i], radius = crowd.radius[i];
      place.fromArray(crowd.position, 3 * i);
      turn.fromArray(crowd.turn, 4 * i);
      for (let k = 0; k < outline.length; k += 3) add(outline[k], outline[k + 1], outline[k + 2], size, EDGES);
      AXES.forEach((colour, axis) => {
        add(0, 0, 0, 1, colour);
        add(axis === 0, axis === 1, axis === 2, 1.1 * radius, colour);
      });
    }
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(at, 3));
    geometry.setAttribute("color", new THREE.Float32BufferAttribute(paint, 3));
    this.lines = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ vertexColors: true, depthTest: false, fog: false }));
    this.lines.frustumCulled = false;
    this.stage.scene.add(this.lines);
  }

  clear() {
    if (!this.lines) return;
    this.stage.scene.remove(this.lines);
    this.lines.geometry.dispose();
    this.lines.material.dispose();
    this.lines = null;
  }
}
