// The pieces of cut props, coloured apart and pulled apart by a share: how they are cut, before anything has moved.
import * as THREE from "../vendor/three/three.module.js";

// Neighbours in number differ in hue and in lightness.
const colourOf = (n) => new THREE.Color().setHSL((0.07 + 0.38 * n) % 1, 0.28, 0.42 + 0.16 * ((n * 7) % 5) / 4);

export class Parted {
  constructor(stage) {
    this.stage = stage;
    this.share = 0;
    this.made = [];
  }

  build(props) {
    for (const { group } of this.made) {
      for (const mesh of group.children) { mesh.geometry.dispose(); mesh.material.dispose(); }
      this.stage.set.remove(group);
    }
    this.made = props.filter((prop) => prop.pieces.length).map((prop) => {
      const group = new THREE.Group(), centres = prop.pieces.map((piece) => new THREE.Vector3(...piece.centre));
      const middle = centres.reduce((sum, centre) => sum.add(centre), new THREE.Vector3()).divideScalar(centres.length);
      prop.pieces.forEach(({ vertices, normals, faces }, n) => {
        const geometry = new THREE.BufferGeometry();
        geometry.setAttribute("position", new THREE.Float32BufferAttribute(vertices, 3));
        geometry.setAttribute("normal", new THREE.Float32BufferAttribute(normals, 3));
        geometry.setIndex(faces);
        const mesh = new THREE.Mesh(geometry, new THREE.MeshLambertMaterial({ color: colourOf(n) }));
        mesh.castShadow = mesh.receiveShadow = true;
        group.add(mesh);
      });
      this.stage.set.add(group);
      return { prop, group, ways: centres.map((centre) => centre.sub(middle)) };
    });
    this.lay();
  }

  spread(share) { this.share = share; this.stage.pose(this.stage.frame?.frame ?? this.stage.firstFrame); this.stage.later(); }

  // Where each piece is; the whole prop is shown where they are not pulled apart.
  lay() {
    const apart = this.share > 0 && this.made.length > 0;
    for (const { object } of this.stage.layers.values()) object.visible = !apart;  // what a run made of them is in the way
    for (const { prop, group, ways } of this.made) {
      group.visible = this.share > 0;
      if (!group.visible) continue;
      prop.mesh.visible = false;
      group.position.copy(prop.mesh.position);
      group.quaternion.copy(prop.mesh.quaternion);
      group.scale.copy(prop.mesh.scale);
      group.children.forEach((mesh, n) => mesh.position.copy(ways[n]).multiplyScalar(1.2 * this.share));
    }
  }
}
