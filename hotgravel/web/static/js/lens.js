// Depth of field on the stage: what is out of focus is spread over its disc, as pictures do it (core/picture/lens.py).
import * as THREE from "../vendor/three/three.module.js";

const TAPS = 28, WIDEST = 14;  // points of a disc that are asked, and its radius in pixels at the most
const VERTEX = `varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }`;
const FRAGMENT = `
uniform sampler2D seen, far; uniform vec2 size; uniform float near, end, metres, aperture, scale; varying vec2 at;
float depth(vec2 p) { float d = texture2D(far, p).x; return near * end / (end - d * (end - near)); }
float disc(float z) { return min(0.5 * aperture * abs(z - metres) / (z * metres) * scale, ${WIDEST}.0); }
void main() {
  float z = depth(at), mine = max(disc(z), 0.5), weights = 1.0 / (mine * mine);
  vec3 total = weights * texture2D(seen, at).rgb;
  float turn = 6.2831853 * fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))));
  for (int i = 1; i <= ${TAPS}; i++) {
    float r = ${WIDEST}.0 * sqrt(float(i) / ${TAPS}.0), a = turn + 2.39996 * float(i);
    vec2 p = at + r * vec2(cos(a), sin(a)) / size;
    float other = depth(p), wide = disc(other);
    if (other > z) wide = min(wide, mine);
    if (r > wide) continue;
    float weight = 1.0 / (wide * wide);
    total += weight * texture2D(seen, p).rgb;
    weights += weight;
  }
  gl_FragColor = vec4(total / weights, 1.0);
  #include <tonemapping_fragment>
  #include <colorspace_fragment>
}`;

export class Lens {
  constructor(stage) {
    this.stage = stage;
    this.target = new THREE.WebGLRenderTarget(1, 1, { type: THREE.HalfFloatType, samples: 0, depthTexture: new THREE.DepthTexture(1, 1, THREE.UnsignedIntType) });
    const uniforms = Object.fromEntries(["near", "end", "metres", "aperture", "scale"].map((name) => [name, { value: 1 }]));
    this.material = new THREE.ShaderMaterial({
      vertexShader: VERTEX, fragmentShader: FRAGMENT, depthTest: false, depthWrite: false,
      uniforms: { ...uniforms, seen: { value: this.target.texture }, far: { value: this.target.depthTexture }, size: { value: new THREE.Vector2() } },
    });
    this.quad = new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.material);
    this.quad.frustumCulled = false;
    this.scene = new THREE.Scene().add(this.quad);
  }

  render() {
    const { renderer, scene, camera } = this.stage, size = renderer.getDrawingBufferSize(this.material.uniforms.size.value);
    if (this.target.width !== size.x || this.target.height !== size.y) this.target.setSize(size.x, size.y);
    const told = { near: camera.near, end: camera.far, metres: this.metres, aperture: this.aperture, scale: (0.5 * size.y) / Math.tan((camera.fov * Math.PI) / 360) };
    for (const [name, value] of Object.entries(told)) this.material.uniforms[name].value = value;
    renderer.setRenderTarget(this.target);
    renderer.render(scene, camera);
    renderer.setRenderTarget(null);
    renderer.render(this.scene, camera);
  }
}
