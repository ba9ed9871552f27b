// Skins around particles: meshes that come with each frame.
import * as THREE from "../vendor/three/three.module.js";
import { clear, shaded, tinting } from "./light.js";
import { fetchPacked } from "./wire.js";

// The share of its own colour that a skin gives as light, and how glassy it is.
const LOOKS = {
  glowing: { gives: 1.1, shininess: 40, specular: 0.1 }, dull: { gives: 0, shininess: 1, specular: 0 }, glassy: { gives: 0.05, shininess: 40, specular: 0.9 },
  clear: { gives: 0, shininess: 40, specular: 0.9, clear: true },
};

// Let corners be as thin as they say: films on the walls of vessels.
function film(shader) {
  shader.vertexShader = shader.vertexShader.replace("#include <common>", "#include <common>\nattribute float thin; varying float filmed;").replace("#include <begin_vertex>", "#include <begin_vertex>\nfilmed = thin;");
  shader.fragmentShader = shader.fragmentShader.replace("#include <common>", "#include <common>\nvarying float filmed;").replace("#include <opaque_fragment>", "if (filmed > 0.0) diffuseColor.a = 1.0 - filmed;\n#include <opaque_fragment>");
}

export class Skins {
  constructor(stage) {
    this.stage = stage;
    this.meshes = new Map();
    this.wanted = "";
  }

  async show(run, frame, skins) {
    const wish = `${run} ${frame}`;
    if (this.wanted === wish) return;
    this.wanted = wish;
    for (const [id, mesh] of this.meshes) if (!skins.some((s) => s.id === id)) { this.stage.scene.remove(mesh); this.meshes.delete(id); }
    await Promise.all(skins.map(async (skin) => {
      const got = await fetchPacked(`/runs/${run}/frames/${frame}/skins/${skin.id}.bin`);
      if (got && this.wanted === wish) this.build(skin, got.groups[0]);
    }));
  }

  build(skin, { vertices, faces, colour, thin }) {
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute("position", new THREE.BufferAttribute(vertices, 3));
    geometry.setIndex(new THREE.BufferAttribute(new Uint32Array(faces), 1));
    const colours = new Float32Array(3 * colour.length), c = new THREE.Color();
    for (let i = 0; i < colour.length; i++) { c.setHex(colour[i]); c.toArray(colours, 3 * i); }
    geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
    geometry.computeVertexNormals();
    if (thin) geometry.setAttribute("thin", new THREE.BufferAttribute(thin, 1));
    let mesh = this.meshes.get(skin.id);
    if (!mesh) {
      const look = LOOKS[skin.look], { gives, shininess, specular } = look;
      const material = new THREE.MeshPhongMaterial({ vertexColors: true, side: THREE.DoubleSide, shininess, specular: new THREE.Color().setScalar(0.12 * specular), emissive: new THREE.Color().setScalar(gives), transparent: Boolean(look.clear || thin) });
      material.onBeforeCompile = (shader) => {  // each corner gives its own colour as light
        shaded(shader);
        if (look.clear) clear(shader);
        film(shader);
        shader.fragmentShader = shader.fragmentShader.replace("#include <emissivemap_fragment>", "totalEmissiveRadiance *= vColor.rgb;");
      };
      material.customProgramCacheKey = () => skin.look;
      mesh = new THREE.Mesh(geometry, material);
      mesh.frustumCulled = false;
      mesh.receiveShadow = true;
      mesh.castShadow = !look.clear;
      if (look.clear) mesh.add(mesh.tint = tinting(geometry, -0.5));
      this.meshes.set(skin.id, mesh);
      this.stage.scene.add(mesh);
    } else {
      mesh.geometry.dispose();
      mesh.geometry = geometry;
      if (mesh.tint) mesh.tint.geometry = geometry;
    }
    this.stage.shadowed = null;
    this.stage.later();
  }

  clear() { for (const mesh of this.meshes.values()) this.stage.scene.remove(mesh); this.meshes.clear(); this.wanted = ""; }
}
