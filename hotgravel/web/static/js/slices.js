// A slice through smoke: one of its quantities as colours, the air's motion in it as arrows, and the box of its grid.
import * as THREE from "../vendor/three/three.module.js";
import { node, painted, rampOf } from "./colouring.js";
import { fetchPacked } from "./wire.js";

const UNITS = { density: "", temperature: "°C", speed: "m/s", age: "s", flames: "/s" };

export class Slice {
  constructor(stage, legend) {
    this.stage = stage;
    this.legend = legend;
    this.wish = { of: "", axis: "z", at: 0.5 };
    this.made = null;
    this.wanted = "";
  }

  async show(run, frame) {
    const { of, axis, at } = this.wish, wanted = of ? `/runs/${run}/frames/${frame}/slice.bin?of=${of}&axis=${axis}&at=${at}` : "";
    if (this.wanted === wanted) return;
    this.wanted = wanted;
    if (!wanted) { this.clear(); return; }
    const got = await fetchPacked(wanted);
    if (this.wanted === wanted) this.build(got?.groups[0]);
  }

  build(told) {
    this.clear();
    if (!told) return;
    const [rows, columns] = told.size, [low, high] = told.range, data = new Uint8Array(4 * rows * columns);
    const vector = (array, n = 0) => new THREE.Vector3().fromArray(array, 3 * n);
    const down = vector(told.down), along = vector(told.along), corner = vector(told.corner);
    told.values.forEach((value, n) => {
      data.set(painted((value - low) / Math.max(high - low, 1e-9)), 4 * n);
      data[4 * n + 3] = 225;
    });
    const picture = Object.assign(new THREE.DataTexture(data, columns, rows), { colorSpace: THREE.SRGBColorSpace, magFilter: THREE.NearestFilter, needsUpdate: true });
    const corners = [corner, corner.clone().add(along), corner.clone().add(along).add(down), corner.clone().add(down)];
    const sheet = new THREE.BufferGeometry().setFromPoints(corners);
    sheet.setAttribute("uv", new THREE.BufferAttribute(new Float32Array([0, 0, 1, 0, 1, 1, 0, 1]), 2));
    sheet.setIndex([0, 1, 2, 0, 2, 3]);
    const plain = { fog: false, toneMapped: false, transparent: true };
    this.made = new THREE.Group();
    this.made.add(new THREE.Mesh(sheet, new THREE.MeshBasicMaterial({ map: picture, side: THREE.DoubleSide, ...plain })));
    this.made.add(new THREE.LineSegments(arrows(told, vector), new THREE.LineBasicMaterial({ color: "#F3EFE8", depthTest: false, ...plain })));
    const size = new THREE.Vector3().fromArray(told.shape).multiplyScalar(told.cell[0]);
    const box = new THREE.LineSegments(new THREE.EdgesGeometry(new THREE.BoxGeometry(...size)), new THREE.LineBasicMaterial({ color: "#8C8377", ...plain }));
    box.position.copy(vector(told.low)).addScaledVector(size, 0.5);
    this.made.add(box);
    for (const part of this.made.children) Object.assign(part, { renderOrder: 2, frustumCulled: false });
    this.stage.scene.add(this.made);
    this.tell(told, low, high);
    this.stage.later();
  }

  tell(told, low, high) {
    const { of } = this.wish, short = (value) => `${Number(value.toPrecision(3))} ${UNITS[of]}`.trim();
    const bar = node("span", "ramp"), ends = node("div", "ends"), cells = told.shape.reduce((a, b) => a * b, 1);
    bar.style.background = rampOf();
    ends.append(node("span", "", short(low)), node("span", "", short(high)));
    const fast = Math.max(...lengthsOf(told.flow), 0), grid = `${(cells / 1e6).toPrecision(2)} million cells of ${(100 * told.cell[0]).toPrecision(2)} cm`;
    this.legend.replaceChildren(node("div", "", `slice: ${of}`), bar, ends, node("div", "", `arrows: up to ${fast.toPrecision(2)} m/s`), node("div", "", grid));
    this.legend.hidden = false;
  }

  clear() {
    this.legend.hidden = true;
    if (!this.made) return;
    this.stage.scene.remove(this.made);
    for (const part of this.made.children) { part.geometry.dispose(); part.material.map?.dispose(); part.material.dispose(); }
    this.made = null;
    this.stage.later();
  }
}

function lengthsOf(flow) {
  const found = [];
  for (let n = 0; n < flow.length; n += 3) found.push(Math.hypot(flow[n], flow[n + 1], flow[n + 2]));
  return found;
}

// A line with two barbs for each place, as long as the air there is fast; the fastest reaches the next place.
function arrows(told, vector) {
  const lengths = lengthsOf(told.flow), most = Math.max(...lengths, 1e-9), points = [];
  const across = vector(told.down).cross(vector(told.along)).normalize();
  const reach = (Math.max(...told.size) / 24) * told.cell[0];
  lengths.forEach((length, n) => {
    if (length < 0.02 * most) return;
    const way = vector(told.flow, n).multiplyScalar(reach / most), from = vector(told.places, n), to = from.clone().add(way);
    const side = across.clone().cross(way).multiplyScalar(0.18), back = to.clone().addScaledVector(way, -0.3);
    points.push(from, to, to, back.clone().add(side), to, back.clone().sub(side));
  });
  return new THREE.BufferGeometry().setFromPoints(points);
}
