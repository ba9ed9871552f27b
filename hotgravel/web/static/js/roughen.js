import { shaded } from "./light.js";

// A little unevenness, so that cinders do not look like plastic.
export function roughen(material) {
  material.onBeforeCompile = (shader) => {
    shaded(shader);
    shader.vertexShader = shader.vertexShader
      .replace("#include <common>", "#include <common>\nvarying vec3 vPlace;")
      .replace("#include <begin_vertex>", "#include <begin_vertex>\nvPlace = position;");
    shader.fragmentShader = shader.fragmentShader
      .replace("#include <common>", `#include <common>
varying vec3 vPlace;
float grain(vec3 p) { p = fract(p * 0.3183 + 0.1); p *= 17.0; return fract(p.x * p.y * p.z * (p.x + p.y + p.z)); }
float lumps(vec3 p) {
  vec3 i = floor(p), f = fract(p); f = f * f * (3.0 - 2.0 * f);
  return mix(mix(mix(grain(i), grain(i + vec3(1,0,0)), f.x), mix(grain(i + vec3(0,1,0)), grain(i + vec3(1,1,0)), f.x), f.y),
             mix(mix(grain(i + vec3(0,0,1)), grain(i + vec3(1,0,1)), f.x), mix(grain(i + vec3(0,1,1)), grain(i + vec3(1,1,1)), f.x), f.y), f.z);
}`)
      .replace("#include <color_fragment>", `#include <color_fragment>
float speck = 0.5 * lumps(vPlace * 2.3) + 0.3 * lumps(vPlace * 7.1) + 0.2 * lumps(vPlace * 23.0);
diffuseColor.rgb *= 0.62 + 0.76 * speck;`)
      .replace("#include <emissivemap_fragment>", `
float facing = abs(dot(normal, normalize(vViewPosition))), hot = max(emissive.r, max(emissive.g, emissive.b));
totalEmissiveRadiance = (emissive * (0.35 + 0.8 * facing) + hot * 0.45 * facing * facing * facing * vec3(1.0, 0.8, 0.3)) * (0.62 + 0.76 * speck);`);
  };
}
