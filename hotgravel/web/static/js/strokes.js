// Drawing strokes on the stage: a press on the set or the ground lays points along the way.
import * as THREE from "../vendor/three/three.module.js";

export class StrokePen {
  constructor(stage, drawn) {
    Object.assign(this, { stage, drawn, zone: null });
    stage.canvas.addEventListener("pointerdown", (e) => this.press(e), { capture: true });
  }

  take(zone, radius) {
    this.zone = zone;
    this.step = 0.5 * radius;
    this.stage.canvas.classList.toggle("drawing", zone !== null);
  }

  where(event) {
    const { canvas, camera, set } = this.stage, box = canvas.getBoundingClientRect();
    const spot = new THREE.Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2);
    const ray = new THREE.Raycaster();
    ray.setFromCamera(spot, camera);
    return ray.intersectObjects(set.children.filter((m) => m.visible))[0]?.point ?? null;
  }

  press(event) {
    if (this.zone === null || event.button !== 0) return;
    event.stopImmediatePropagation();
    event.preventDefault();
    const { canvas, controls } = this.stage, points = [];
    const ink = new THREE.Points(new THREE.BufferGeometry(), new THREE.PointsMaterial({ color: "#E3B23C", size: 5, sizeAttenuation: false, depthTest: false, fog: false, toneMapped: false }));
    ink.frustumCulled = false;
    this.stage.scene.add(ink);
    const lay = (e) => {
      const at = this.where(e);
      if (!at || (points.length && at.distanceTo(points.at(-1)) < this.step)) return;
      // A quick hand leaves gaps; they are filled on the straight way between, where it lies near the set.
      const from = points.at(-1) ?? at, gaps = Math.min(200, Math.max(1, Math.floor(at.distanceTo(from) / this.step)));
      for (let i = 1; i <= gaps; i++) points.push(from.clone().lerp(at, i / gaps));
      ink.geometry.dispose();
      ink.geometry = new THREE.BufferGeometry().setFromPoints(points);
      this.stage.later();
    };
    controls.enabled = false;
    canvas.setPointerCapture(event.pointerId);
    lay(event);
    canvas.addEventListener("pointermove", lay);
    canvas.addEventListener("pointerup", () => {
      canvas.removeEventListener("pointermove", lay);
      controls.enabled = true;
      this.stage.scene.remove(ink);
      ink.geometry.dispose();
      const zone = this.zone;
      this.take(null, 0);
      if (points.length) this.drawn(zone, points.map((p) => p.toArray().map((n) => n.toFixed(4)).join(",")).join(" "));
    }, { once: true });
  }
}
