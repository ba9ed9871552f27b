// Particles as camera-facing quads: a core of the true radius, drawn out along its motion while
// the shutter is open, and a glow around it. Corners look up their particle in a table, three texels each: instances
// of so few corners take several times as long, the most where there is no graphics card.
import * as THREE from "../vendor/three/three.module.js";
import { LIT } from "./light.js";

const ACROSS = 512;  // particles in a row of the table
const TEXELS = 3;  // place and radius; velocity and heat; colour and how far it is there

const VERTEX = `
uniform highp sampler2D table;
uniform float shutter;
uniform float pixels;
varying vec2 spot;
varying vec2 shape;
varying vec3 tint;
varying float strength;
varying float warm;
varying vec2 way;
varying float seen;
void main() {
  int number = gl_VertexID / 6, corner = gl_VertexID % 6;  // of two triangles: 0 1 2 and 0 2 3
  if (corner > 2) corner = corner == 3 ? 0 : corner - 2;
  ivec2 at = ivec2(${TEXELS} * (number % ${ACROSS}), number / ${ACROSS});
  vec4 place = texelFetch(table, at, 0), going = texelFetch(table, at + ivec2(1, 0), 0), paint = texelFetch(table, at + ivec2(2, 0), 0);
  float size = place.w, heat = going.w;
  seen = paint.w;
  vec4 middle = modelViewMatrix * vec4(place.xyz, 1.0);
  vec3 before = mat3(modelViewMatrix) * going.xyz * shutter;
  if (heat < -1.5) { gl_Position = vec4(0.0, 0.0, 2.0, 1.0); return; }  // under a skin
  float pixel = -middle.z / (projectionMatrix[1][1] * pixels * 0.5);
  float radius = max(size, 0.85 * pixel);
  strength = clamp(size / radius, 0.45, 1.0);
  vec2 along = before.xy;
  float travel = length(along);
  along = travel > 1e-6 ? along / travel : vec2(1.0, 0.0);
  way = along;
  float half_length = 0.5 * travel;
  float reach = 3.2 * radius;
  spot = vec2((corner == 1 || corner == 2 ? 1.0 : -1.0) * (half_length + reach), (corner > 1 ? 1.0 : -1.0) * reach);
  shape = vec2(half_length, radius);
  tint = paint.rgb;
  warm = heat;
  middle.xy += along * (spot.x - half_length) + vec2(-along.y, along.x) * spot.y;
  gl_Position = projectionMatrix * middle;
}`;

const FRAGMENT = `
varying vec2 spot;
varying vec2 shape;
varying vec3 tint;
varying float strength;
varying float warm;
varying vec2 way;
varying float seen;
uniform vec3 keyFrom; uniform vec3 keyLight; uniform vec3 fillFrom; uniform vec3 fillLight; uniform vec3 skyLight; uniform vec3 groundLight;
uniform float glow;
void main() {
  float off = length(vec2(max(abs(spot.x) - shape.x, 0.0), spot.y)) / shape.y;
  float spread = shape.y / (shape.y + shape.x * 0.6);
  float core = (1.0 - smoothstep(0.7, 1.1, off)) * strength * seen * mix(0.45, 1.0, spread);
  float halo = max(0.0, 1.0 - off / 3.2);
  halo = halo * halo * halo * warm * seen * mix(0.35, 1.0, spread);
  if (warm < 0.0) {  // dull: a lit flake without a glow
    vec2 flat_ = spot / shape.y * step(shape.x, 1e-6);
    vec3 n = vec3(way.x * flat_.x - way.y * flat_.y, way.y * flat_.x + way.x * flat_.y, sqrt(max(0.0, 1.0 - dot(flat_, flat_))));
    n = normalize(n) * mat3(viewMatrix);  // into the world's axes
    vec3 lit = mix(groundLight, skyLight, 0.5 + 0.5 * n.y) + keyLight * max(0.0, dot(n, keyFrom)) + fillLight * max(0.0, dot(n, fillFrom));
    gl_FragColor = vec4(tint * lit, 1.0);
    #include <tonemapping_fragment>
    gl_FragColor *= core;
    #include <colorspace_fragment>
    return;
  }
  vec3 hot = mix(tint, vec3(1.0, 0.86, 0.6), 0.22 * warm * core);
  gl_FragColor = vec4(1.5 * hot, 1.0);
  #include <tonemapping_fragment>
  gl_FragColor = vec4(gl_FragColor.rgb * core + tint * vec3(1.0, 0.5, 0.3) * halo * glow, core);
  #include <colorspace_fragment>
}`;

// Each ember burns a little brighter or darker than the next, always the same one.
function spark(id) {
  return 0.5 + 0.8 * ((Math.imul(id + 1, 2654435761) >>> 8) / 16777216) ** 1.5;
}

// How many glows lie over one another, about: where they are many each gives less, or all is white.
function crowding({ count, every, position: p, radius }) {
  if (!count) return 0;
  const middle = [0, 0, 0];
  let spread = 0, area = 0;
  for (let i = 0; i < 3 * count; i++) middle[i % 3] += p[i] / count;
  for (let i = 0; i < 3 * count; i++) spread += (p[i] - middle[i % 3]) ** 2 / count;
  for (let i = 0; i < count; i++) area += (3.2 * radius[i]) ** 2;
  return (every * area) / Math.max(spread, 1e-9);
}

export class ParticleCloud {
  constructor() {
    const material = new THREE.ShaderMaterial({
      vertexShader: VERTEX, fragmentShader: FRAGMENT,
      uniforms: { table: { value: null }, shutter: { value: 0.5 / 24 }, pixels: { value: 500 }, glow: { value: 0.5 }, ...LIT },
      transparent: true, depthWrite: false, premultipliedAlpha: true,
      blending: THREE.CustomBlending, blendSrc: THREE.OneFactor, blendDst: THREE.OneMinusSrcAlphaFactor,
    });
    this.mesh = new THREE.Mesh(new THREE.BufferGeometry(), material);
    this.mesh.frustumCulled = false;
    this.object = this.mesh;
    this.clear();
  }

  // Room for so many particles, texels of four numbers each.
  room(count) {
    const rows = Math.max(1, Math.ceil(count / ACROSS)), { table } = this.mesh.material.uniforms;
    if (table.value?.image.height !== rows) {
      table.value?.dispose();
      table.value = new THREE.DataTexture(new Float32Array(4 * TEXELS * ACROSS * rows), TEXELS * ACROSS, rows, THREE.RGBAFormat, THREE.FloatType);
    }
    table.value.needsUpdate = true;
    return table.value.image.data;
  }

  // Colours (3 floats each) and heat (0 to 1) belong to the frame's particles.
  show(_run, frame, { colours, heat }, blur) {
    const { count, position, velocity, radius, id, faded } = frame, table = this.room(count);
    for (let i = 0; i < count; i++) {
      const at = 4 * TEXELS * i, bright = heat[i] < 0 ? 1 : spark(id[i]);
      for (let c = 0; c < 3; c++) {
        table[at + c] = position[3 * i + c];
        table[at + 4 + c] = velocity[3 * i + c];
        table[at + 8 + c] = colours[3 * i + c] * bright;
      }
      table[at + 3] = radius[i];
      table[at + 7] = heat[i];
      table[at + 11] = 1 - (faded?.[i] ?? 0);
    }
    const { shutter, glow } = this.mesh.material.uniforms;
    shutter.value = blur;
    glow.value = 0.75 / (1 + crowding(frame));
    this.mesh.geometry.setDrawRange(0, 6 * count);
  }

  resize(height) { this.mesh.material.uniforms.pixels.value = height; }

  clear() { this.mesh.geometry.setDrawRange(0, 0); }
}
