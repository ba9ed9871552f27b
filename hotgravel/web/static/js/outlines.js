// The shapes that bodies meet others with, as lines along their edges, and the three axes of their inertia.
import * as THREE from "../vendor/three/three.module.js";

const EDGES = new THREE.Color("#F3EFE8"), AXES = ["#C8431B", "#5E7D4F", "#2F5D7C"].map((c) => new THREE.Color(c));

export class Outlines {
  constructor(stage) {
    this.stage = stage;
    this.lines = [];
  }

  show(crowd, meshes) {
    this.clear();
    if (!this.stage.outlined) return;
    const edges = { at: [], paint: [] }, axes = { at: [], paint: [] };
    const place = new THREE.Vector3(), turn = new THREE.Quaternion(), p = new THREE.Vector3();
    const add = (to, x, y, z, size, colour) => {
      p.set(x, y, z).multiplyScalar(size).applyQuaternion(turn).add(place);
      to.at.push(p.x, p.y, p.z);
      to.paint.push(colour.r, colour.g, colour.b);
    };
    for (let i = 0; i < crowd.count; i++) {
      const outline = meshes[crowd.piece[i]]?.outline ?? [], size = crowd.scale[i], radius = crowd.radius[i];
      place.fromArray(crowd.position, 3 * i);
      turn.fromArray(crowd.turn, 4 * i);
      for (let k = 0; k < outline.length; k += 3) add(edges, outline[k], outline[k + 1], outline[k + 2], 1.002 * size, EDGES);
      AXES.forEach((colour, axis) => {
        add(axes, 0, 0, 0, 1, colour);
        add(axes, axis === 0, axis === 1, axis === 2, 1.1 * radius, colour);
      });
    }
    this.lines = [this.drawn(edges, { transparent: true, opacity: 0.6 }), this.drawn(axes, { depthTest: false })];
    this.stage.scene.add(...this.lines);
  }

  drawn({ at, paint }, look) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.Float32BufferAttribute(at, 3));
    geometry.setAttribute("color", new THREE.Float32BufferAttribute(paint, 3));
    const made = new THREE.LineSegments(geometry, new THREE.LineBasicMaterial({ vertexColors: true, fog: false, toneMapped: false, ...look }));
    made.frustumCulled = false;
    return made;
  }

  clear() {
    for (const old of this.lines) { this.stage.scene.remove(old); old.geometry.dispose(); old.material.dispose(); }
    this.lines = [];
  }
}
