// What a sentence of the notebook concerns, lit on the stage while it is pointed at.
import * as THREE from "../vendor/three/three.module.js";

const LIT = "#E3B23C", MOST_RINGS = 120;

export class Pointing {
  constructor(stage) {
    this.stage = stage;
    this.boxes = new THREE.Group();
    stage.scene.add(this.boxes);
    this.ids = "";
  }

  // `states` are the shot's, in the order in which elements count them. Returns whether that was not shown already.
  show(ids, states) {
    if (ids.join(" ") === this.ids) return false;
    this.ids = ids.join(" ");
    const { stage } = this;
    for (const box of this.boxes.children) { box.geometry.dispose(); box.material.dispose(); }
    this.boxes.clear();
    for (const { id, mesh } of stage.props) {
      if (!ids.includes(id) || !mesh.visible) continue;
      const box = new THREE.BoxHelper(mesh, LIT);
      Object.assign(box.material, { fog: false, toneMapped: false, depthTest: false, transparent: true });
      this.boxes.add(box);
    }
    for (const zone of stage.outlines.zones) if (zone.lines) zone.lines.material.opacity = ids.includes(zone.id) ? 1 : 0.55;
    stage.ringAll(this.inStates(states.map((s, n) => (ids.includes(s.id) ? n : -1)).filter((n) => n >= 0)), stage.frame?.frame);
    stage.later();
    return true;
  }

  // Places of elements in some states, evenly over all there are.
  inStates(wanted) {
    const found = [];
    for (const { count, state, position: p } of wanted.length ? this.stage.frame?.groups ?? [] : []) {
      for (let i = 0; i < count; i++) if (wanted.includes(state[i])) found.push([p[3 * i], p[3 * i + 1], p[3 * i + 2]]);
    }
    const every = Math.max(1, Math.ceil(found.length / MOST_RINGS));
    return found.filter((_, i) => i % every === 0);
  }

  // Where a prop is met under a place on the canvas, as shares of its width and height from the middle; null if none.
  placeAt(x, y) { return this.hitAt(x, y)?.point ?? null; }

  propAt(x, y) {
    const hit = this.hitAt(x, y);
    return hit ? this.stage.props.find((p) => p.mesh === hit.object).id : null;
  }

  hitAt(x, y) {
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(x, y), this.stage.camera);
    return ray.intersectObjects(this.stage.props.map((p) => p.mesh).filter((m) => m.visible), false)[0];
  }
}
