// Zones on the stage: their outlines, and handles by which they are dragged.
import * as THREE from "../vendor/three/three.module.js";

const COLOUR = "#E3B23C";

function linesOf(kind) {
  if (kind === "ball") return new THREE.EdgesGeometry(new THREE.SphereGeometry(1, 12, 8), 1);
  if (kind === "block") return new THREE.EdgesGeometry(new THREE.BoxGeometry(1, 1, 1));
  if (kind === "capsule") return new THREE.EdgesGeometry(new THREE.CylinderGeometry(1, 1, 1, 12), 1);
  if (kind === "front") return new THREE.EdgesGeometry(new THREE.PlaneGeometry(4, 4, 4, 4), -1);
  return null;
}

export class ZoneOutlines {
  constructor(stage, placed) {
    Object.assign(this, { stage, placed });
    this.group = new THREE.Group();
    this.zones = [];
    stage.scene.add(this.group);
    stage.canvas.addEventListener("pointerdown", (e) => this.press(e), { capture: true });
  }

  build(zones, first) {
    this.first = first;
    for (const old of this.group.children) { old.geometry?.dispose(); old.material.dispose(); }
    this.group.clear();
    this.zones = zones.filter((z) => z.outlines.length).map((zone) => {
      const geometry = zone.kind === "strokes" ? new THREE.BufferGeometry().setFromPoints(zone.points.map((p) => new THREE.Vector3(...p))) : linesOf(zone.kind);
      const material = { color: COLOUR, transparent: true, opacity: 0.55, fog: false, toneMapped: false };
      const lines = geometry && (zone.kind === "strokes" ? new THREE.Points(geometry, new THREE.PointsMaterial({ ...material, size: 4, sizeAttenuation: false })) : new THREE.LineSegments(geometry, new THREE.LineBasicMaterial(material)));
      if (lines) this.group.add(lines);
      let handle = null;
      if (zone.movable) {
        handle = new THREE.Sprite(new THREE.SpriteMaterial({ color: COLOUR, depthTest: false, sizeAttenuation: false, fog: false, toneMapped: false }));
        handle.scale.setScalar(0.018);
        this.group.add(handle);
      }
      return { ...zone, lines, handle };
    });
    this.pose(first);
  }

  pose(frame) {
    for (const zone of this.zones) {
      const o = zone.outlines[Math.max(0, Math.min(zone.outlines.length - 1, frame - this.first))];
      if (!zone.lines || !o.at) continue;
      const at = new THREE.Vector3(...o.at);
      zone.handle?.position.copy(at);
      zone.lines.position.copy(at);
      if (zone.kind === "ball") zone.lines.scale.setScalar(Math.max(o.radius, 1e-4));
      if (zone.kind === "block") zone.lines.scale.set(...o.size.map((s) => Math.max(s, 1e-4)));
      if (zone.kind === "capsule") {
        const to = new THREE.Vector3(...o.to), along = to.clone().sub(at);
        zone.lines.position.copy(at).add(to).multiplyScalar(0.5);
        zone.lines.scale.set(o.radius, Math.max(along.length(), 1e-4), o.radius);
        zone.lines.quaternion.setFromUnitVectors(new THREE.Vector3(0, 1, 0), along.normalize());
      }
      if (zone.kind === "front") {
        const way = new THREE.Vector3(...o.direction).normalize();
        zone.lines.position.copy(at).addScaledVector(way, o.come);
        zone.lines.quaternion.setFromUnitVectors(new THREE.Vector3(0, 0, 1), way);
      }
    }
  }

  // A handle is dragged in the plane that faces the camera.
  press(event) {
    const { canvas, camera, controls } = this.stage, box = canvas.getBoundingClientRect();
    const spot = (e) => new THREE.Vector2(((e.clientX - box.left) / box.width) * 2 - 1, 1 - ((e.clientY - box.top) / box.height) * 2);
    const near = (zone) => {
      const p = zone.handle.position.clone().project(camera), at = spot(event);
      return p.z < 1 && Math.hypot((p.x - at.x) * box.width, (p.y - at.y) * box.height) < 24;
    };
    const zone = event.button === 0 && this.zones.find((z) => z.handle && near(z));
    if (!zone) return;
    event.stopImmediatePropagation();
    event.preventDefault();
    controls.enabled = false;
    canvas.setPointerCapture(event.pointerId);
    const plane = new THREE.Plane().setFromNormalAndCoplanarPoint(camera.getWorldDirection(new THREE.Vector3()), zone.handle.position);
    const start = zone.handle.position.clone(), ray = new THREE.Raycaster(), to = new THREE.Vector3();
    const drag = (e) => {
      ray.setFromCamera(spot(e), camera);
      if (!ray.ray.intersectPlane(plane, to)) return;
      zone.lines.position.add(to.clone().sub(zone.handle.position));
      zone.handle.position.copy(to);
      this.stage.later();
    };
    canvas.addEventListener("pointermove", drag);
    canvas.addEventListener("pointerup", () => {
      canvas.removeEventListener("pointermove", drag);
      controls.enabled = true;
      if (zone.handle.position.distanceTo(start) > 1e-4) this.placed(zone.id, zone.handle.position);
    }, { once: true });
  }
}
