// Smoke: a grid marched through from the camera, in the same light as pictures have it (core/picture/volume.py).
import * as THREE from "../vendor/three/three.module.js";
import { LIT } from "./light.js";
import { fetchPacked } from "./wire.js";

const LAMPS = 4;  // that light smoke, at most
const THIN = 1;  // of 255: cells of less are empty
const BLOCK = 4;  // cells along a side of what is skipped where all of it is empty
const DEPTH = `
uniform sampler2D behind; uniform vec2 pixels; uniform float near, end;
float depthAt(vec2 spot) { return near * end / (end - texture2D(behind, spot).x * (end - near)); }`;
const VERTEX = `varying vec3 place; void main() { vec4 p = modelMatrix * vec4(position, 1.0); place = p.xyz; gl_Position = projectionMatrix * viewMatrix * p; }`;
const FRAGMENT = `
precision highp sampler3D;
${DEPTH}
uniform sampler3D grid; uniform sampler3D paint; uniform sampler3D blocks; uniform sampler2D glow;
uniform vec3 low, size, colour, from, to;
uniform float cell, take, stride, burns, painted;
uniform vec3 keyLight; uniform vec3 fillLight; uniform vec3 skyLight; uniform vec3 groundLight;
uniform vec3 lampPlace[LAMPS]; uniform vec3 lampLight[LAMPS]; uniform float lampReach[LAMPS];
varying vec3 place;
vec3 lamps(vec3 at) {
  vec3 given = vec3(0.0);
  for (int n = 0; n < LAMPS; n++) {
    if (lampReach[n] <= 0.0) break;
    vec3 off = (at - lampPlace[n]) / lampReach[n];
    given += lampLight[n] / (1.0 + dot(off, off));
  }
  return given;
}
void main() {
  vec3 way = normalize(place - cameraPosition);
  vec3 a = (from - cameraPosition) / way, b = (to - cameraPosition) / way, onward = step(0.0, way);
  vec3 first = min(a, b), last = max(a, b);
  float at = max(max(first.x, max(first.y, first.z)), 0.0), far = min(last.x, min(last.y, last.z));
  vec3 forward = -vec3(viewMatrix[0][2], viewMatrix[1][2], viewMatrix[2][2]);
  far = min(far, depthAt(gl_FragCoord.xy / pixels) / dot(way, forward));
  float step_ = stride * cell, wide_ = float(BLOCK) * cell, left = 1.0;
  vec3 key = 0.75 * colour * keyLight, around = 0.5 * colour * (skyLight + 0.5 * groundLight + 0.25 * fillLight), seen = vec3(0.0);
  float next = at + step_ * fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
  for (int n = 0; n < 320; n++) {
    if (at >= far || left < 0.01) break;
    float stop = min(next, far), wide = stop - at;
    vec3 middle = cameraPosition + 0.5 * (at + stop) * way, spot = (middle - low) / size;
    // What is empty is left at its far side, in whole steps.
    if (texelFetch(blocks, ivec3((middle - low) / wide_), 0).r == 0.0) {
      vec3 across = (low + (floor((middle - low) / wide_) + onward) * wide_ - cameraPosition) / way;
      at = stop + max(0.0, floor((min(across.x, min(across.y, across.z)) - stop) / step_)) * step_;
      next += step_ + at - stop;
      continue;
    }
    vec3 here = texture(grid, spot).rgb;
    if (here.r > 0.002) {
      float gone = 1.0 - exp(-here.r * take * wide);
      vec3 tint = painted > 0.5 ? texture(paint, spot).rgb : vec3(1.0);
      seen += left * gone * tint * (key * here.g + around + 0.75 * colour * lamps(middle));
      if (burns > 0.5) seen += left * gone * texture2D(glow, vec2(here.b, 0.5)).rgb;
      left *= 1.0 - gone;
    }
    at = stop;
    next += step_;
  }
  gl_FragColor = vec4(seen, 1.0 - left);
}`;
// Smoke is looked through at fewer pixels than the picture has; between them counts what is as far off as the pixel.
const SPREAD = `
${DEPTH}
uniform sampler2D smoke; uniform vec2 whole;
void main() {
  vec2 spot = gl_FragCoord.xy / whole, at = spot * pixels - 0.5, share = fract(at);
  float z = depthAt(spot), weight = 0.0;
  vec4 sum = vec4(0.0);
  for (int n = 0; n < 4; n++) {
    vec2 corner = vec2(n % 2, n / 2), by = mix(1.0 - share, share, corner), there = (floor(at) + corner + 0.5) / pixels;
    float w = (by.x * by.y + 1e-4) / (1.0 + 50.0 * abs(depthAt(there) - z) / z);
    sum += w * texture2D(smoke, there);
    weight += w;
  }
  sum /= weight;
  if (sum.a < 0.003) discard;
  gl_FragColor = vec4(sum.rgb / sum.a, 1.0);
  #include <tonemapping_fragment>
  #include <colorspace_fragment>
  gl_FragColor *= sum.a;
}`;
const FLAT = `void main() { gl_Position = vec4(position.xy, 0.0, 1.0); }`;

// The light that smoke gives, by how hot it is.
function glowing(light) {
  const data = new Float32Array(4 * 256);
  for (let n = 0; n < 256; n++) data.set(light.subarray(3 * n, 3 * n + 3), 4 * n);
  return Object.assign(new THREE.DataTexture(data, 256, 1, THREE.RGBAFormat, THREE.FloatType), { needsUpdate: true });
}

export class Volume {
  constructor(stage) {
    this.stage = stage;
    this.far = new THREE.WebGLRenderTarget(1, 1, { depthTexture: new THREE.DepthTexture(1, 1, THREE.UnsignedIntType) });
    const plain = Object.fromEntries(["cell", "take", "near", "end", "burns", "painted"].map((name) => [name, { value: 1 }]));
    const three = Object.fromEntries(["low", "size", "colour", "from", "to"].map((name) => [name, { value: new THREE.Vector3() }]));
    const many = (make) => ({ value: Array.from({ length: LAMPS }, make) }), vector = () => new THREE.Vector3();
    this.uniforms = { ...plain, ...three, ...LIT, lampPlace: many(vector), lampLight: many(vector), lampReach: many(() => 0), stride: { value: 0.9 }, grid: { value: null }, blocks: { value: null }, paint: { value: null }, glow: { value: null }, behind: { value: this.far.depthTexture }, pixels: { value: new THREE.Vector2() } };
    const plainly = { depthTest: false, depthWrite: false };
    this.box = new THREE.Mesh(new THREE.BoxGeometry(1, 1, 1), new THREE.ShaderMaterial({
      vertexShader: VERTEX, fragmentShader: FRAGMENT, defines: { LAMPS, BLOCK }, uniforms: this.uniforms, side: THREE.BackSide, ...plainly, blending: THREE.NoBlending,
    }));
    this.box.visible = this.box.frustumCulled = false;
    this.alone = new THREE.Scene().add(this.box);
    this.looks = new THREE.WebGLRenderTarget(1, 1, { type: THREE.HalfFloatType, depthBuffer: false, magFilter: THREE.NearestFilter, minFilter: THREE.NearestFilter });
    const { behind, pixels, near, end } = this.uniforms;
    this.whole = { value: new THREE.Vector2() };
    this.object = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), new THREE.ShaderMaterial({
      vertexShader: FLAT, fragmentShader: SPREAD, uniforms: { behind, pixels, near, end, whole: this.whole, smoke: { value: this.looks.texture } }, ...plainly,
      transparent: true, premultipliedAlpha: true, blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneMinusSrcAlphaFactor,
    }));
    this.object.visible = this.object.frustumCulled = false;
    this.object.renderOrder = 1;
    this.plain = new THREE.MeshBasicMaterial({ side: THREE.DoubleSide, colorWrite: false });
    this.wanted = "";
    this.coarse = 2;  // pixels of the picture along a side of one that smoke is looked through at
  }

  resize() {}

  // How far the looks are apart along a line of sight, in cells.
  finer(stride) {
    this.uniforms.stride.value = stride;
    this.coarse = stride < 0.9 ? 1 : stride < 2 ? 2 : 3;
    this.stage.later();
  }

  async show(run, crowd) {
    const frame = this.stage.frame.frame, light = this.stage.light.given?.name ?? "dusk", wish = `${run} ${frame} ${light}`;
    if (this.wanted === wish) return;
    this.wanted = wish;
    const got = await fetchPacked(`/runs/${run}/frames/${frame}/smoke.bin?light=${light}`);
    if (this.wanted === wish && got) this.build(got.groups[0]);
  }

  build({ density, lit, hot, tint, glow, shape, low, cell, colour, take, cast, cast_frame, lamp }) {
    this.stage.light.throwSmoke(cast, cast_frame, lamp);
    const [x, y, z] = shape, burns = hot.length > 0, painted = tint.length > 0;
    // A texture's first axis is the one that runs fastest.
    const texture = (parts) => {
      const data = new Uint8Array(4 * density.length);
      for (let i = 0, n = 0; i < x; i++) for (let j = 0; j < y; j++) for (let k = 0; k < z; k++, n++) {
        const to = 4 * (i + x * (j + y * k));
        for (let c = 0; c < 3; c++) data[to + c] = parts(n, c);
      }
      return Object.assign(new THREE.Data3DTexture(data, x, y, z), { minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter, needsUpdate: true });
    };
    for (const name of ["grid", "paint", "glow", "blocks"]) this.uniforms[name].value?.dispose();
    const grid = texture((n, c) => [density[n], lit[n], burns ? hot[n] : 0][c]);
    this.uniforms.paint.value = painted ? texture((n, c) => tint[3 * n + c]) : null;
    this.uniforms.glow.value = burns ? glowing(glow) : null;
    this.uniforms.burns.value = Number(burns);
    this.uniforms.painted.value = Number(painted);
    const { uniforms } = this;
    uniforms.grid.value = grid;
    uniforms.low.value.fromArray(low);
    uniforms.size.value.set(x, y, z).multiplyScalar(cell[0]);
    uniforms.colour.value.fromArray(colour);
    uniforms.cell.value = cell[0];
    uniforms.take.value = take[0];
    this.within(density, shape, cell[0]);
    this.box.visible = true;
    this.stage.later();
  }

  // Which blocks hold any smoke, and the box about them, which is all that is looked through.
  within(density, [x, y, z], cell) {
    const counts = [x, y, z].map((n) => Math.ceil(n / BLOCK)), [p, q] = counts, held = new Uint8Array(counts[0] * counts[1] * counts[2]);
    const low = [x, y, z], high = [0, 0, 0], first = (at) => Math.floor(Math.max(at - 1, 0) / BLOCK), last = (at, most) => Math.floor(Math.min(at + 1, most - 1) / BLOCK);
    for (let i = 0, n = 0; i < x; i++) for (let j = 0; j < y; j++) for (let k = 0; k < z; k++, n++) {
      if (density[n] < THIN) continue;
      low[0] = Math.min(low[0], i); low[1] = Math.min(low[1], j); low[2] = Math.min(low[2], k);
      high[0] = Math.max(high[0], i + 1); high[1] = Math.max(high[1], j + 1); high[2] = Math.max(high[2], k + 1);
      // It is seen halfway to the next cells, so that one at the edge of a block is in the next block too.
      for (let a = first(i); a <= last(i, x); a++) for (let b = first(j); b <= last(j, y); b++) for (let c = first(k); c <= last(k, z); c++) held[a + p * (b + q * c)] = 255;
    }
    const { uniforms } = this, texture = new THREE.Data3DTexture(held, ...counts);
    uniforms.blocks.value = Object.assign(texture, { format: THREE.RedFormat, unpackAlignment: 1, needsUpdate: true });
    const edge = (at, more) => uniforms.low.value.clone().add(new THREE.Vector3(...at).addScalar(more).clamp(new THREE.Vector3(), new THREE.Vector3(x, y, z)).multiplyScalar(cell));
    uniforms.from.value.copy(edge(low, -1));
    uniforms.to.value.copy(edge(high, 1).max(uniforms.from.value));
    this.box.scale.copy(uniforms.to.value).sub(uniforms.from.value);
    this.box.position.copy(uniforms.from.value).addScaledVector(this.box.scale, 0.5);
  }

  // How far all else is from the camera, and the smoke before it, ahead of the picture.
  prepare() {
    this.object.visible = false;
    if (!this.box.visible) return;
    const { renderer, scene, camera } = this.stage, { pixels, near, end } = this.uniforms, whole = this.whole.value;
    renderer.getDrawingBufferSize(whole);
    pixels.value.copy(whole).divideScalar(this.coarse).ceil();
    for (const [target, { x, y }] of [[this.far, whole], [this.looks, pixels.value]]) if (target.width !== x || target.height !== y) target.setSize(x, y);
    const shining = this.stage.light.strongest(), { lampPlace, lampLight, lampReach } = this.uniforms;
    for (let n = 0; n < LAMPS; n++) {
      lampReach.value[n] = shining[n]?.distance ?? 0;
      if (!shining[n]) continue;
      lampPlace.value[n].setFromMatrixPosition(shining[n].matrixWorld);
      lampLight.value[n].set(shining[n].color.r, shining[n].color.g, shining[n].color.b).multiplyScalar(shining[n].intensity / Math.PI);
    }
    near.value = camera.near;
    end.value = camera.far;
    const ground = renderer.getClearColor(new THREE.Color()), there = renderer.getClearAlpha();
    renderer.shadowMap.autoUpdate = false;  // the picture makes them
    renderer.setRenderTarget(this.far);
    this.measure(scene, camera);
    renderer.setRenderTarget(this.looks);
    renderer.setClearColor(0, 0);
    renderer.render(this.alone, camera);
    renderer.setClearColor(ground, there);
    renderer.setRenderTarget(null);
    renderer.shadowMap.autoUpdate = true;
    this.object.visible = true;
  }

  // How far all is that hides smoke: meshes without their paint, which would cost as much as the picture, and then points.
  measure(scene, camera) {
    const { renderer } = this.stage, meshes = [], points = [], others = [];
    scene.traverseVisible((object) => {
      const of = object.isMesh && !object.material.transparent ? meshes : object.isPoints && object.material.depthWrite ? points : others;
      if (object.material) of.push(object);
    });
    const pass = (hidden, material) => {
      for (const object of hidden) object.layers.disable(0);
      scene.overrideMaterial = material;
      renderer.render(scene, camera);
      scene.overrideMaterial = null;
      for (const object of hidden) object.layers.enable(0);
    };
    pass([...points, ...others], this.plain);
    renderer.autoClear = false;
    if (points.length) pass([...meshes, ...others], null);
    renderer.autoClear = true;
  }

  clear() { this.wanted = ""; this.box.visible = false; this.stage.light.throwSmoke(); }
}
