// What a loader finds in a GLB, in words.
import * as THREE from "three";

const KINDS = [
  ["map", "colour"],
  ["normalMap", "normals"],
  ["aoMap", "occlusion"],
  ["roughnessMap", "roughness"],
  ["metalnessMap", "metallic"],
  ["emissiveMap", "emission"],
] as const;

export function factsOf(model: THREE.Object3D): string {
  let [triangles, tangents, meshes] = [0, 0, 0];
  const maps = new Set<string>();
  model.traverse((node) => {
    if (!(node instanceof THREE.Mesh)) return;
    const geometry = node.geometry as THREE.BufferGeometry;
    meshes++;
    triangles += (geometry.index?.count ?? geometry.getAttribute("position").count) / 3;
    if (geometry.hasAttribute("tangent")) tangents++;
    if (node.material instanceof THREE.MeshStandardMaterial)
      for (const [field, word] of KINDS) if (node.material[field]) maps.add(word);
  });
  const held = tangents === meshes && meshes > 0 ? "tangents inside" : "without tangents";
  const textures = maps.size > 0 ? [...maps].join(", ") : "no textures";
  return `${triangles.toLocaleString("en")} triangles, ${held}; ${textures}`;
}
