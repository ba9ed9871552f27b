// The light that the stage is seen in, with the same numbers and curves as still pictures (core/picture/light.py).
import * as THREE from "../vendor/three/three.module.js";

// Film's curve; lamps that fall off about their reach; haze that grows with the distance and is laid before the curve.
const CHUNK = THREE.ShaderChunk;
CHUNK.tonemapping_pars_fragment = CHUNK.tonemapping_pars_fragment.replace(/vec3 CustomToneMapping\([^}]*\}/, "vec3 CustomToneMapping( vec3 color ) { return 1.0 - exp( -toneMappingExposure * color ); }");
CHUNK.lights_pars_begin = CHUNK.lights_pars_begin.replace(/float getDistanceAttenuation\([\s\S]*?\n\}/, `float getDistanceAttenuation( const in float off, const in float reach, const in float decayExponent ) {
	return 1.0 / ( 1.0 + pow2( off / max( reach, 1e-6 ) ) );
}`);
CHUNK.opaque_fragment += `
#ifdef USE_FOG
	gl_FragColor.rgb = mix( gl_FragColor.rgb, 0.8 * sRGBTransferEOTF( vec4( fogColor, 1.0 ) ).rgb, 1.0 - exp( - fogDensity * vFogDepth ) );
#endif`;
CHUNK.fog_fragment = "";

const SKY_VERTEX = `varying vec3 way; void main() { way = position; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`;
const SKY_FRAGMENT = `
uniform vec3 zenith; uniform vec3 horizon; uniform vec3 glow; varying vec3 way;
void main() {
  vec3 d = normalize(way);
  float up = max(d.y, 0.0);
  float dusk = max(0.0, dot(d.xz, vec2(0.66, -0.75)) / (length(d.xz) + 1e-6));
  float low = (0.2 + 0.8 * dusk * dusk) * exp(-20.0 * up) * (1.0 - exp(-200.0 * up));
  float dither = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715)))) - 0.5;
  float under = 0.3 + 0.7 * exp(8.0 * min(d.y, 0.0));  // below the horizon it darkens
  gl_FragColor = vec4(under * (zenith + (horizon + low * glow - zenith) * exp(-5.0 * up)), 1.0);
  #include <tonemapping_fragment>
  #include <colorspace_fragment>
  gl_FragColor.rgb += dither / 255.0;
}`;
// The shadow of smoke in the key's light, as core/picture/cast.py makes it; none where its size is 0.
const CAST = { smokeCast: { value: null }, smokeAxes: { value: new THREE.Matrix3() }, smokeLow: { value: new THREE.Vector3() }, smokeSize: { value: new THREE.Vector3() } };
const PAST_SMOKE = `
uniform sampler2D smokeCast; uniform mat3 smokeAxes; uniform vec3 smokeLow, smokeSize;
float pastSmoke(vec3 seen) {
  if (smokeSize.x <= 0.0) return 1.0;
  vec3 at = (smokeAxes * (transpose(mat3(viewMatrix)) * (seen - viewMatrix[3].xyz)) - smokeLow) / smokeSize;
  if (at.x <= 0.0 || at.x >= 1.0 || at.y <= 0.0 || at.y >= 1.0) return 1.0;
  vec3 there = texture2D(smokeCast, at.xy).rgb;
  return mix(1.0, there.r, clamp((at.z - there.g) / max(there.b - there.g, 0.01), 0.0, 1.0));
}`;
const KEYED = CHUNK.lights_fragment_begin.replace("directLight.color *= ( directLight.visible && receiveShadow ) ? getShadow( directionalShadowMap", "directLight.color *= pastSmoke( geometryPosition );\n\t\tdirectLight.color *= ( directLight.visible && receiveShadow ) ? getShadow( directionalShadowMap");

// The sky along a way, for what mirrors it.
const BACKDROP = { skyZenith: { value: new THREE.Vector3() }, skyHorizon: { value: new THREE.Vector3() }, skyGlow: { value: new THREE.Vector3() } };
// How clear water and glass are, seen straight on (core/picture/still.py).
const CLEAR = 0.65;
const GLASS = 0.9;

// Let what a shader draws be clear, and mirror the sky, as water does (core/picture/shade.py).
export function clear(shader, share = CLEAR) {
  Object.assign(shader.uniforms, BACKDROP);
  shader.fragmentShader = shader.fragmentShader.replace("#include <common>", `#include <common>
uniform vec3 skyZenith, skyHorizon, skyGlow;
vec3 skyAlong(vec3 d) {
  float up = max(d.y, 0.0), dusk = max(0.0, dot(d.xz, vec2(0.66, -0.75)) / (length(d.xz) + 1e-6));
  float low = (0.2 + 0.8 * dusk * dusk) * exp(-20.0 * up) * (1.0 - exp(-200.0 * up)), under = 0.3 + 0.7 * exp(8.0 * min(d.y, 0.0));
  return under * (skyZenith + (skyHorizon + low * skyGlow - skyZenith) * exp(-5.0 * up));
}`).replace("#include <opaque_fragment>", `
float facing = abs(dot(normalize(vViewPosition), normal)), mirrored = 0.02 + 0.98 * pow(1.0 - facing, 5.0);
float whole = 1.0 - ${share} * (1.0 - mirrored);
vec3 mirror = transpose(mat3(viewMatrix)) * reflect(-normalize(vViewPosition), normal);
outgoingLight = mix(outgoingLight, skyAlong(mirror), mirrored / whole);
diffuseColor.a = whole;
#include <opaque_fragment>`);
}

// The material of what is clear as glass; white where its colours come otherwise.
export function glass(color = 0xffffff) {
  const material = new THREE.MeshPhongMaterial({ color, side: THREE.DoubleSide, shininess: 40, specular: new THREE.Color().setScalar(0.1), transparent: true, depthWrite: false });
  material.onBeforeCompile = (shader) => { shaded(shader); clear(shader, GLASS); };
  return material;
}

// What lies behind a clear thing, coloured by it (`Arrays.tint` in core/picture/soup.py): a mesh drawn before it, of its
// geometry. Corners have a colour each, and may be thin, or all have the one that is given.
const TINGED = 0.4;
export function tinting(geometry, order, colour = null) {
  const own = colour ? `const vec3 own = vec3(${new THREE.Color(colour).toArray().map((c) => c.toFixed(4)).join(", ")});` : "varying vec3 own; varying float filmed;";
  const material = new THREE.ShaderMaterial({
    transparent: true, depthWrite: false, side: THREE.DoubleSide, forceSinglePass: true, fog: false,
    blending: THREE.CustomBlending, blendSrc: THREE.ZeroFactor, blendDst: THREE.SrcColorFactor,
    vertexShader: `${colour ? "" : "attribute vec3 color; attribute float thin; varying vec3 own; varying float filmed;"}
void main() { ${colour ? "" : "own = color; filmed = thin;"} gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`,
    fragmentShader: `${own}
void main() {
  float thick = ${colour ? "1.0" : `filmed > 0.0 ? min((1.0 - filmed) / ${(1 - CLEAR).toFixed(2)}, 1.0) : 1.0`};
  vec3 most = own / max(max(own.r, max(own.g, own.b)), 1e-6);
  gl_FragColor = vec4(pow(1.0 - ${TINGED} * thick * (1.0 - most), vec3(1.0 / 2.2)), 1.0);
}`,
  });
  const mesh = new THREE.Mesh(geometry, material);
  mesh.frustumCulled = false;
  mesh.renderOrder = order;
  return mesh;
}

// Let smoke throw its shadow on what a shader draws.
export function shaded(shader) {
  Object.assign(shader.uniforms, CAST);
  shader.fragmentShader = shader.fragmentShader.replace("#include <common>", `#include <common>${PAST_SMOKE}`).replace("#include <lights_fragment_begin>", KEYED);
}

const MOST_SHADOWED = 2, KEY_MAP = 1024, LAMP_MAP = 256;
export const MOST_LAMPS = 8;

// Uniforms that shaders of our own are lit by, in the world's axes.
export const LIT = Object.fromEntries(["keyFrom", "keyLight", "fillFrom", "fillLight", "skyLight", "groundLight"].map((name) => [name, { value: new THREE.Vector3() }]));

export class Light {
  constructor(stage) {
    this.stage = stage;
    const { renderer, scene } = stage;
    renderer.toneMapping = THREE.CustomToneMapping;
    renderer.shadowMap.enabled = true;
    renderer.shadowMap.type = THREE.PCFShadowMap;
    this.key = new THREE.DirectionalLight("#ffffff", Math.PI);
    this.key.castShadow = true;
    this.key.shadow.mapSize.set(KEY_MAP, KEY_MAP);
    this.fill = new THREE.DirectionalLight("#ffffff", Math.PI);
    this.around = new THREE.HemisphereLight("#ffffff", "#ffffff", Math.PI);
    this.crowd = new THREE.PointLight("#ffffff", 0, 1, 0);  // that of a crowd of embers
    this.fire = new THREE.PointLight("#ffffff", 0, 1, 0);  // that of what burns in smoke
    this.lamps = [];
    this.sky = this.makeSky();
    scene.fog = new THREE.FogExp2("#000000", 0.01);
    scene.add(this.key, this.key.target, this.fill, this.around, this.crowd, this.fire, this.sky);
    this.given = null;
  }

  makeSky() {
    const material = new THREE.ShaderMaterial({
      vertexShader: SKY_VERTEX, fragmentShader: SKY_FRAGMENT, side: THREE.BackSide, depthWrite: false, fog: false,
      uniforms: { zenith: { value: new THREE.Vector3() }, horizon: { value: new THREE.Vector3() }, glow: { value: new THREE.Vector3() } },
    });
    const sky = new THREE.Mesh(new THREE.SphereGeometry(900, 32, 16), material);
    sky.renderOrder = -1;
    return sky;
  }

  set(given) {
    this.given = given;
    this.key.color.setRGB(...given.key);
    this.fill.color.setRGB(...given.fill);
    this.fill.position.set(...given.fill_from).multiplyScalar(100);
    this.around.color.setRGB(...given.sky);
    this.around.groundColor.setRGB(...given.ground);
    this.crowd.color.setRGB(...given.ember);
    for (const [name, of] of Object.entries({ skyZenith: "zenith", skyHorizon: "horizon", skyGlow: "glow" })) BACKDROP[name].value.set(...given[of]);
    for (const name of ["zenith", "horizon", "glow"]) this.sky.material.uniforms[name].value.set(...given[name]);
    this.stage.scene.fog.color.setRGB(...given.horizon);
    this.stage.renderer.toneMappingExposure = given.exposure;
    for (const [name, of] of Object.entries({ keyFrom: "key_from", keyLight: "key", fillFrom: "fill_from", fillLight: "fill", skyLight: "sky", groundLight: "ground" })) LIT[name].value.set(...given[of]);
    this.stage.later();
  }

  // Before each picture: haze and the key's shadows go by what the camera looks at.
  follow(camera, aim, box) {
    if (!this.given) return;
    const far = camera.position.distanceTo(aim);
    this.stage.scene.fog.density = 1 / (this.given.haze * far);
    this.sky.position.copy(camera.position);
    const near = new THREE.Box3().setFromCenterAndSize(aim, new THREE.Vector3().setScalar(3 * far)).intersect(box);
    const seen = near.isEmpty() ? new THREE.Box3().setFromCenterAndSize(aim, new THREE.Vector3(1, 1, 1)) : near;
    const middle = seen.getCenter(new THREE.Vector3()), span = Math.max(0.5 * seen.getSize(new THREE.Vector3()).length(), 1e-3);
    const from = 4 * 1.5 * far, view = this.key.shadow.camera;
    this.key.target.position.copy(middle);
    this.key.position.set(...this.given.key_from).multiplyScalar(from).add(middle);
    Object.assign(view, { left: -span, right: span, top: span, bottom: -span, near: Math.max(0.01, from - 4 * far), far: from + 4 * far });
    view.updateProjectionMatrix();
    this.key.shadow.normalBias = (3 * span) / KEY_MAP;
    const strongest = this.strongest();
    for (const lamp of [this.crowd, this.fire, ...this.lamps]) {
      lamp.castShadow = strongest.indexOf(lamp) >= 0 && strongest.indexOf(lamp) < MOST_SHADOWED;
      lamp.shadow.mapSize.set(LAMP_MAP, LAMP_MAP);
      lamp.shadow.camera.near = 0.01;
      lamp.shadow.camera.far = 20 * lamp.distance + 0.1;
      lamp.shadow.normalBias = 0.01 * lamp.distance;
    }
  }

  // All lamps that shine, the strongest first.
  strongest() {
    return [this.crowd, this.fire, ...this.lamps].filter((lamp) => lamp.intensity > 0).sort((a, b) => b.intensity * b.distance - a.intensity * a.distance);
  }

  // What smoke does to all around it: the map of its shadow, the map's frame, and the lamp that its fire is; none of
  // both where it is gone.
  throwSmoke(map = [], frame = [], lamp = []) {
    CAST.smokeCast.value?.dispose();
    CAST.smokeCast.value = null;
    CAST.smokeSize.value.setScalar(0);
    this.fire.intensity = 0;
    if (map.length) {
      const n = Math.sqrt(map.length / 3), data = new Uint8Array(4 * n * n);
      for (let i = 0; i < n * n; i++) data.set(map.subarray(3 * i, 3 * i + 3), 4 * i);
      CAST.smokeCast.value = Object.assign(new THREE.DataTexture(data, n, n), { minFilter: THREE.LinearFilter, magFilter: THREE.LinearFilter, needsUpdate: true });
      CAST.smokeAxes.value.set(...frame.subarray(0, 9));
      CAST.smokeLow.value.fromArray(frame, 9);
      CAST.smokeSize.value.fromArray(frame, 12);
    }
    if (!lamp.length) return;
    this.fire.position.fromArray(lamp);
    this.fire.intensity = Math.PI * lamp[3];
    this.fire.distance = lamp[4];
    this.fire.color.setRGB(lamp[5], lamp[6], lamp[7]);
  }

  // The crowd of glowing points lights what is near it, from a little above its middle.
  lightCrowd({ count, position: p }, heat) {
    const middle = [0, 0, 0], spread = [0, 0, 0];
    let n = 0;
    for (let i = 0; i < count; i++) {
      if (heat[i] < 0) continue;
      n++;
      for (let c = 0; c < 3; c++) { middle[c] += p[3 * i + c]; spread[c] += p[3 * i + c] ** 2; }
    }
    this.crowd.intensity = 0;
    if (!n) return;
    for (let c = 0; c < 3; c++) { middle[c] /= n; spread[c] = Math.max(0, spread[c] / n - middle[c] ** 2); }
    const reach = Math.max(Math.sqrt(spread[0] + spread[1] + spread[2]), 0.05);
    this.crowd.position.set(middle[0], middle[1] + 0.4 * reach, middle[2]);
    this.crowd.distance = reach;
    this.crowd.intensity = Math.PI * this.given.crowd_light * Math.min(1, n / this.given.crowd);
  }
}
