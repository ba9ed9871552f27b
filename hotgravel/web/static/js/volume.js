// Smoke: a grid marched through from the camera, in the same light as pictures have it (core/picture/volume.py).
import * as THREE from "../vendor/three/three.module.js";
import { LIT } from "./light.js";
import { fetchPacked } from "./wire.js";

const LAMPS = 4;  // that light smoke, at most
const VERTEX = `varying vec3 place; void main() { vec4 p = modelMatrix * vec4(position, 1.0); place = p.xyz; gl_Position = projectionMatrix * viewMatrix * p; }`;
const FRAGMENT = `
precision highp sampler3D;
uniform sampler3D grid; uniform sampler3D paint; uniform sampler2D behind; uniform sampler2D glow;
uniform vec3 low, size, colour; uniform vec2 pixels;
uniform float cell, take, near, end, stride, burns, painted;
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
  vec3 a = (low - cameraPosition) / way, b = (low + size - cameraPosition) / way;
  vec3 first = min(a, b), last = max(a, b);
  float at = max(max(first.x, max(first.y, first.z)), 0.0), far = min(last.x, min(last.y, last.z));
  float deep = texture2D(behind, gl_FragCoord.xy / pixels).x, z = near * end / (end - deep * (end - near));
  vec3 forward = -vec3(viewMatrix[0][2], viewMatrix[1][2], viewMatrix[2][2]);
  far = min(far, z / dot(way, forward));
  float step_ = stride * cell, left = 1.0;
  vec3 key = 0.75 * colour * keyLight, around = 0.5 * colour * (skyLight + 0.5 * groundLight + 0.25 * fillLight), seen = vec3(0.0);
  float next = at + step_ * fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
  for (int n = 0; n < 320; n++) {
    if (at >= far || left < 0.01) break;
    float stop = min(next, far), wide = stop - at;
    vec3 middle = cameraPosition + 0.5 * (at + stop) * way, spot = (middle - low) / size;
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
  float there = 1.0 - left;
  if (there < 0.003) discard;
  gl_FragColor = vec4(seen / there, 1.0);
  #include <tonemapping_fragment>
  #include <colorspace_fragment>
  gl_FragColor *= there;
}`;

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
    const three = Object.fromEntries(["low", "size", "colour"].map((name) => [name, { value: new THREE.Vector3() }]));
    const many = (make) => ({ value: Array.from({ length: LAMPS }, make) }), vector = () => new THREE.Vector3();
    this.uniforms = { ...plain, ...three, ...LIT, lampPlace: many(vector), lampLight: many(vector), lampReach: many(() => 0), stride: { value: 0.9 }, grid: { value: null }, paint: { value: null }, glow: { value: null }, behind: { value: this.far.depthTexture }, pixels: { value: new THREE.Vector2() } };
    const material = new THREE.ShaderMaterial({
      vertexShader: VERTEX, fragmentShader: FRAGMENT, defines: { LAMPS }, uniforms: this.uniforms, side: THREE.BackSide, depthTest: false, depthWrite: false,
      transparent: true, premultipliedAlpha: true, blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneMinusSrcAlphaFactor,
    });
    this.box = new THREE.Mesh(new THREE.BoxGeometry(1, 1, 1), material);
    this.box.visible = this.box.frustumCulled = false;
    this.box.renderOrder = 1;
    this.object = new THREE.Group().add(this.box);
    this.wanted = "";
  }

  resize() {}

  // How far the looks are apart along a line of sight, in cells.
  finer(stride) { this.uniforms.stride.value = stride; this.stage.later(); }

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
    for (const name of ["grid", "paint", "glow"]) this.uniforms[name].value?.dispose();
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
    this.box.scale.copy(uniforms.size.value);
    this.box.position.copy(uniforms.low.value).addScaledVector(uniforms.size.value, 0.5);
    this.box.visible = true;
    this.stage.later();
  }

  // How far all else is from the camera, before the smoke is drawn over it.
  prepare() {
    if (!this.box.visible) return;
    const { renderer, scene, camera } = this.stage, { pixels, near, end } = this.uniforms;
    renderer.getDrawingBufferSize(pixels.value);
    if (this.far.width !== pixels.value.x || this.far.height !== pixels.value.y) this.far.setSize(pixels.value.x, pixels.value.y);
    const shining = this.stage.light.strongest(), { lampPlace, lampLight, lampReach } = this.uniforms;
    for (let n = 0; n < LAMPS; n++) {
      lampReach.value[n] = shining[n]?.distance ?? 0;
      if (!shining[n]) continue;
      lampPlace.value[n].setFromMatrixPosition(shining[n].matrixWorld);
      lampLight.value[n].set(shining[n].color.r, shining[n].color.g, shining[n].color.b).multiplyScalar(shining[n].intensity / Math.PI);
    }
    near.value = camera.near;
    end.value = camera.far;
    this.box.visible = false;
    renderer.setRenderTarget(this.far);
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    this.box.visible = true;
  }

  clear() { this.wanted = ""; this.box.visible = false; this.stage.light.throwSmoke(); }
}
