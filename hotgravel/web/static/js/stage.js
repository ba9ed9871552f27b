// The stage: the set and the particles at dusk, seen by a camera that is kept with the shot.
import * as THREE from "../vendor/three/three.module.js";
import { OrbitControls } from "../vendor/three/OrbitControls.js";
import { Contacts } from "./contacts.js";
import { Lens } from "./lens.js";
import { Volume } from "./volume.js";
import { Drapes } from "./drapes.js";
import { glass, Light, MOST_LAMPS, tinting } from "./light.js";
import { Pace } from "./pace.js";
import { ParticleCloud } from "./particles.js";
import { Parted } from "./parted.js";
import { Pieces } from "./pieces.js";
import { Pointing } from "./pointing.js";
import { roughen } from "./roughen.js";
import { Skins } from "./skins.js";
import { Slice } from "./slices.js";
import { Streaks } from "./streaks.js";
import { ZoneOutlines } from "./zones.js";

const LAYERS = { points: ParticleCloud, pieces: Pieces, mesh: Drapes, volume: Volume };

export class Stage {
  constructor(canvas, { picked, moved, learnt, placed = () => {} }) {
    this.canvas = canvas;
    this.renderer = new THREE.WebGLRenderer({ canvas, antialias: true });
    this.renderer.setPixelRatio(Math.min(window.devicePixelRatio || 1, 2));
    this.scene = new THREE.Scene();
    this.camera = new THREE.PerspectiveCamera(38, 1, 0.02, 2000);
    this.camera.position.set(14, 6, 18);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.enableDamping = false;
    this.controls.addEventListener("change", () => this.later());
    this.controls.addEventListener("end", () => moved(this.view()));
    this.props = [];
    this.set = new THREE.Group();
    this.layers = new Map();  // by matter
    this.pace = new Pace(this.renderer.getContext(), learnt);
    this.light = new Light(this);
    this.ring = this.makeRing();
    this.scene.add(this.set, this.ring);
    this.grid = null;
    this.wireframe = false;
    this.outlined = false;
    this.watchClicks(picked);
    this.skins = new Skins(this);
    this.streaks = new Streaks(this);
    this.contacts = new Contacts(this);
    this.slice = new Slice(this, canvas.parentElement.querySelector("#slice-legend"));
    this.outlines = new ZoneOutlines(this, placed);
    this.pointing = new Pointing(this);
    this.parted = new Parted(this);
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
    this.resize();
  }

  makeRing() {
    const ring = new THREE.Sprite(new THREE.SpriteMaterial({ map: ringPicture(), depthTest: false, sizeAttenuation: false, fog: false, toneMapped: false }));
    ring.scale.setScalar(0.035);
    ring.visible = false;
    return ring;
  }

  resize() {
    const box = this.canvas.parentElement.getBoundingClientRect();
    if (!box.width || !box.height) return;
    this.renderer.setSize(box.width, box.height, false);
    this.camera.aspect = box.width / box.height;
    this.camera.updateProjectionMatrix();
    for (const layer of this.layers.values()) layer.resize(box.height);
    this.later();
  }

  later() {
    if (this.due) return;
    this.due = true;
    const turn = () => {
      if (this.pace.busy) { requestAnimationFrame(turn); return; }
      this.due = false;
      this.draw();
    };
    requestAnimationFrame(turn);
  }

  draw() {
    this.light.follow(this.camera, this.controls.target, (this.shadowed ??= this.litBox()));
    for (const layer of this.layers.values()) layer.prepare?.();
    if (this.lens?.metres) this.lens.render(); else this.renderer.render(this.scene, this.camera);
    this.pace.watch((this.frame?.groups ?? []).reduce((sum, { kind, count }) => sum + (kind === "points" ? count : 0), 0));
  }

  // What throws shadows: the set but for mere ground, and what moves.
  litBox() {
    const box = this.setBox();
    for (const { kind, count, position: p } of this.frame?.groups ?? []) {
      if (kind !== "pieces" && kind !== "mesh") continue;
      for (let i = 0; i < count; i++) box.expandByPoint(new THREE.Vector3(p[3 * i], p[3 * i + 1], p[3 * i + 2]));
    }
    for (const mesh of this.skins.meshes.values()) box.expandByObject(mesh);
    return box;
  }

  // The set

  build({ props, zones, first, light }) {
    if (!this.light.given) this.light.set(light);
    for (const prop of this.props) { prop.mesh.geometry.dispose(); prop.mesh.material.dispose(); prop.halo?.material.dispose(); }
    this.set.clear();
    this.light.lamps = [];
    this.firstFrame = first;
    this.props = props.map((prop) => {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.Float32BufferAttribute(prop.vertices, 3));
      geometry.setAttribute("normal", new THREE.Float32BufferAttribute(prop.normals, 3));
      geometry.setIndex(prop.faces);
      const material = prop.shine === "clear" ? glass(prop.colour) : new THREE.MeshLambertMaterial({
        color: prop.colour, side: THREE.DoubleSide, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1,
      });
      material.wireframe = this.wireframe;
      if (prop.shine === "glowing") material.emissive.set(prop.colour);
      if (prop.shine !== "clear") roughen(material);
      const mesh = new THREE.Mesh(geometry, material);
      mesh.castShadow = prop.shine === "dull";  // there is a lamp in what glows
      if (prop.shine === "clear") {
        mesh.renderOrder = 1;  // after what it holds
        mesh.add(tinting(geometry, 0.5, prop.colour));
      }
      mesh.receiveShadow = true;
      this.set.add(mesh);
      return { ...prop, mesh, ...(prop.shine === "glowing" ? this.makeGlow(prop, geometry) : {}) };
    });
    this.outlines.build(zones ?? [], first);
    this.parted.build(this.props);
    this.pose(first);
    this.layGrid();
    this.later();
  }

  // A halo round a prop that glows, and a lamp in it: sheets light nothing, and a scene bears only so many lamps.
  makeGlow(prop, geometry) {
    geometry.computeBoundingBox();
    const size = geometry.boundingBox.getSize(new THREE.Vector3()), reach = 0.5 * Math.max(size.x, size.y, size.z);
    const middle = geometry.boundingBox.getCenter(new THREE.Vector3()), sheet = prop.kind === "plane" || prop.kind === "disc";
    if (sheet) return {};
    const halo = new THREE.Sprite(new THREE.SpriteMaterial({ map: this.haloPicture ??= haloPicture(), color: prop.colour, opacity: 0.55, blending: THREE.AdditiveBlending, depthWrite: false, fog: false, toneMapped: false }));
    this.set.add(halo);
    if (this.light.lamps.length >= MOST_LAMPS) return { halo, reach, middle };
    const lamp = new THREE.PointLight(prop.colour, 0, 1, 0);
    this.set.add(lamp);
    this.light.lamps.push(lamp);
    return { halo, lamp, reach, middle };
  }

  pose(frame, absent = []) {
    this.shadowed = null;
    this.outlines.pose(frame);
    for (const { id, mesh, poses, moved, halo, lamp, reach, middle } of this.props) {
      mesh.visible = !absent.includes(id) && !(moved && this.frame);  // what a solver moves is drawn as its pieces
      const at = poses[Math.max(0, Math.min(poses.length - 1, frame - this.firstFrame))];
      mesh.position.set(at[0], at[1], at[2]);
      mesh.quaternion.set(at[3], at[4], at[5], at[6]);
      mesh.scale.setScalar(at[7]);
      if (halo) {
        mesh.updateMatrix();
        halo.visible = mesh.visible;
        halo.position.copy(middle).applyMatrix4(mesh.matrix);
        halo.scale.setScalar(5 * reach * at[7]);
      }
      if (lamp) {
        lamp.position.copy(halo.position);
        lamp.distance = 2 * reach * at[7];
        lamp.intensity = mesh.visible ? Math.PI * this.light.given.prop_light : 0;
      }
    }
    this.parted.lay();
  }

  setWireframe(on) {
    this.wireframe = on;
    for (const { mesh } of this.props) mesh.material.wireframe = on;
    this.later();
  }

  // The props that are no mere ground; those that a solver moves are drawn as its pieces once there are any.
  pieces() { return this.props.filter((p) => p.kind !== "plane" && !(p.moved && this.frame)); }

  setBox() {
    const box = new THREE.Box3();
    this.set.updateMatrixWorld(true);
    for (const { mesh } of this.pieces()) box.expandByObject(mesh);  // a plain alone says nothing of where to look
    return box.isEmpty() ? new THREE.Box3(new THREE.Vector3(-1, 0, -1), new THREE.Vector3(1, 2, 1)) : box;
  }

  layGrid(box = this.setBox()) {
    const size = box.getSize(new THREE.Vector3()).length();
    const spacing = [0.01, 0.1, 1, 10, 100, 1000].find((s) => s * 10 >= size) ?? 10000;
    if (this.grid && spacing === this.spacing) return;
    this.spacing = spacing;
    if (this.grid) { this.scene.remove(this.grid); this.grid.dispose(); }
    this.grid = new THREE.GridHelper(this.spacing * 40, 40, "#8A7B6C", "#8A7B6C");
    this.grid.material.transparent = true;
    this.grid.material.opacity = 0.13;
    this.grid.material.depthWrite = this.grid.material.toneMapped = false;
    this.grid.position.y = this.spacing * 0.002;
    this.scene.add(this.grid);
  }

  // The camera

  view() { return { eye: this.camera.position.toArray(), aim: this.controls.target.toArray() }; }

  look({ eye, aim }) {
    this.camera.position.fromArray(eye);
    this.controls.target.fromArray(aim);
    this.controls.update();
    this.later();
  }

  // Round the aim by degrees, and nearer or farther; for the keyboard.
  orbit(across, up, nearer = 1) {
    const from = new THREE.Spherical().setFromVector3(this.camera.position.clone().sub(this.controls.target));
    from.theta += (across * Math.PI) / 180;
    from.phi = Math.min(Math.PI - 0.05, Math.max(0.05, from.phi - (up * Math.PI) / 180));
    from.radius *= nearer;
    this.camera.position.copy(this.controls.target).add(new THREE.Vector3().setFromSpherical(from));
    this.controls.update();
    this.later();
  }

  fit(bounds) {
    const box = this.setBox();
    if (bounds) {
      box.expandByPoint(new THREE.Vector3(...bounds[0]));
      box.expandByPoint(new THREE.Vector3(...bounds[1]));
    }
    this.layGrid(box);
    const plains = this.props.filter((prop) => prop.kind === "plane");
    const ground = Math.min(...plains.map(({ mesh }) => new THREE.Box3().setFromObject(mesh).min.y));
    if (Number.isFinite(ground)) box.min.y = Math.min(Math.max(box.min.y, ground), box.max.y);  // what lies under it is not looked at
    const middle = box.getCenter(new THREE.Vector3()), size = box.getSize(new THREE.Vector3()), radius = 0.5 * size.length();
    const flat = Math.max(0, 1 - (3 * size.y) / Math.max(size.x, size.z, 1e-9));
    const away = (1.02 * radius) / Math.sin((this.camera.fov * Math.PI) / 360) / Math.max(1, Math.min(this.camera.aspect, 1.35));
    const eye = new THREE.Vector3(0.6, 0.24 + 0.14 * flat, 0.76).normalize().multiplyScalar(Math.max(away, 0.5)).add(middle);
    this.look({ eye: eye.toArray(), aim: middle.toArray() });
  }

  // How far before the camera what is pressed next stands, metres along its axis.
  askDepth(told) {
    this.asked = (event) => {
      const box = this.canvas.getBoundingClientRect();
      const x = (event.clientX - box.left) / box.width, y = (event.clientY - box.top) / box.height;
      const found = this.find(this.pick(x * box.width, y * box.height, box.width, box.height));
      const at = found ? new THREE.Vector3().fromArray(found.crowd.position, 3 * found.i) : this.pointing.placeAt(2 * x - 1, 1 - 2 * y);
      if (at) told(-at.applyMatrix4(this.camera.matrixWorldInverse).z);
    };
  }

  setFocus(metres, aperture) {
    this.lens ??= new Lens(this);
    Object.assign(this.lens, { metres, aperture });
    this.later();
  }

  // The elements

  // `looks` has the colours and the heat of each group of a frame.
  show(run, frame, looks, blur, absent) {
    if (this.rings && this.ringedAt !== frame.frame) this.rings.visible = false;
    this.frame = frame;
    frame.groups.forEach((crowd, i) => this.layer(crowd).show(run, crowd, looks[i], blur));
    const lit = frame.groups.findIndex((crowd) => crowd.kind === "points");
    if (lit >= 0) this.light.lightCrowd(frame.groups[lit], looks[lit].heat);
    this.pose(frame.frame, absent);
    this.markPicked();
    this.later();
  }

  // What draws a matter, by its kind of data.
  layer({ name, kind }) {
    if (!this.layers.has(name)) {
      const layer = new LAYERS[kind](this);
      layer.resize(this.canvas.parentElement.getBoundingClientRect().height || 500);
      this.scene.add(layer.object);
      this.layers.set(name, layer);
    }
    return this.layers.get(name);
  }

  clear() { this.frame = null; this.skins.clear(); this.streaks.clear(); this.contacts.clear(); for (const layer of this.layers.values()) layer.clear(); this.ring.visible = false; this.light.crowd.intensity = 0; this.later(); }

  watchClicks(picked) {
    let down = null;
    this.canvas.addEventListener("pointerdown", (e) => { down = [e.clientX, e.clientY]; });
    this.canvas.addEventListener("pointerup", (e) => {
      if (!down || e.button !== 0 || Math.hypot(e.clientX - down[0], e.clientY - down[1]) > 4) return;
      const box = this.canvas.getBoundingClientRect();
      if (this.asked) { this.asked(e); this.asked = null; return; }
      const x = (e.clientX - box.left) / box.width, y = (e.clientY - box.top) / box.height;
      const id = this.pick(x * box.width, y * box.height, box.width, box.height);
      picked(id, id === null ? this.pointing.propAt(2 * x - 1, 1 - 2 * y) : null, this.lookAt(2 * x - 1, 1 - 2 * y));
    });
  }

  // From where one looks, and along which way, at a place on the canvas (from -1 to 1).
  lookAt(x, y) {
    const eye = this.camera.position, way = new THREE.Vector3(x, y, 0.5).unproject(this.camera).sub(eye).normalize();
    return { x: eye.x, y: eye.y, z: eye.z, dx: way.x, dy: way.y, dz: way.z };
  }

  // The id of the element nearest to a place on the canvas, within ten pixels of its edge; null if none.
  pick(px, py, width, height, least = 100) {
    if (!this.frame) return null;
    this.camera.updateMatrixWorld();
    const m = new THREE.Matrix4().multiplyMatrices(this.camera.projectionMatrix, this.camera.matrixWorldInverse).elements;
    const scale = (0.5 * height) / Math.tan((this.camera.fov * Math.PI) / 360);
    let best = null;
    for (const { count, kind, position: p, radius, id } of this.frame.groups) {
      for (let i = 0; i < count; i++) {
        const x = p[3 * i], y = p[3 * i + 1], z = p[3 * i + 2];
        const w = m[3] * x + m[7] * y + m[11] * z + m[15];
        if (w <= 0) continue;
        const dx = (0.5 + (0.5 * (m[0] * x + m[4] * y + m[8] * z + m[12])) / w) * width - px;
        const dy = (0.5 - (0.5 * (m[1] * x + m[5] * y + m[9] * z + m[13])) / w) * height - py;
        const wide = kind !== "points" ? (0.7 * scale * radius[i]) / w : 0;  // within it counts as hit
        const off = Math.max(0, Math.hypot(dx, dy) - wide) ** 2;
        if (off < least - 1e-3 || (best !== null && off < least + 9 && w < best.w && off < 36)) { least = Math.min(off, least); best = { id: id[i], w }; }
      }
    }
    return best === null ? null : best.id;
  }

  // The group and the place in it of an element of the frame that is shown; null if it is not there.
  find(id) {
    for (const crowd of this.frame?.groups ?? []) {
      const i = crowd.id.indexOf(id);
      if (i >= 0) return { crowd, i };
    }
    return null;
  }

  // The element after the picked one by id, or before it; the one nearest the middle if none is picked.
  nextPick(by) {
    const ids = (this.frame?.groups ?? []).flatMap((crowd) => [...crowd.id]);
    if (!ids.length) return null;
    const at = this.picked == null ? -1 : ids.indexOf(this.picked);
    if (at >= 0) return ids[(at + by + ids.length) % ids.length];
    const beyond = this.picked == null ? [] : ids.filter((id) => by * (id - this.picked) > 0);  // of a frame that shows only some
    if (beyond.length) return beyond.reduce((a, b) => (by * (b - a) < 0 ? b : a));
    const box = this.canvas.getBoundingClientRect();
    return this.pick(box.width / 2, box.height / 2, box.width, box.height, Infinity) ?? ids[0];
  }

  // Rings round places, until another frame is shown.
  ringAll(places, frame) {
    if (this.rings) { this.scene.remove(this.rings); this.rings.geometry.dispose(); }
    const geometry = new THREE.BufferGeometry().setFromPoints(places.map((p) => new THREE.Vector3(...p)));
    this.rings = new THREE.Points(geometry, this.ringStuff ??= new THREE.PointsMaterial({ map: ringPicture(), size: 15, sizeAttenuation: false, transparent: true, depthTest: false, fog: false, toneMapped: false }));
    this.rings.frustumCulled = false;
    this.ringedAt = frame;
    this.scene.add(this.rings);
    this.later();
  }

  mark(id) { this.picked = id; this.markPicked(); this.later(); }

  markPicked() {
    const found = this.picked == null ? null : this.find(this.picked);
    this.ring.visible = found !== null;
    if (found) this.ring.position.fromArray(found.crowd.position, 3 * found.i);
  }
}

function haloPicture() {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = 128;
  const context = canvas.getContext("2d"), fade = context.createRadialGradient(64, 64, 0, 64, 64, 64);
  for (const [at, strength] of [[0, 1], [0.25, 0.55], [0.45, 0.22], [0.7, 0.06], [1, 0]]) fade.addColorStop(at, `rgba(255,255,255,${strength})`);
  context.fillStyle = fade;
  context.fillRect(0, 0, 128, 128);
  return new THREE.CanvasTexture(canvas);
}

function ringPicture() {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = 64;
  const context = canvas.getContext("2d");
  context.strokeStyle = "#E3B23C";
  context.lineWidth = 5;
  context.arc(32, 32, 26, 0, 7);
  context.stroke();
  return new THREE.CanvasTexture(canvas);
}
