// What is drawn over the low-poly from its own corners: edges, seams, envelopes, and triangles that a finding lights.
import * as THREE from "three";
import { LOW_VERTEX, SHELL_FRAGMENT } from "./shaders";

export type Lines = THREE.LineSegments<THREE.BufferGeometry, THREE.ShaderMaterial>;

/** Attributes that the low-poly's shader reads of a corner; shared, so that what is drawn over it moves with it. */
const SHARED = ["position", "normal", "rise", "sink", "uv", "frame"];

/** One colour, see-through. */
export function flat(color: THREE.Vector4, depthTest: boolean) {
  return new THREE.ShaderMaterial({
    vertexShader: LOW_VERTEX,
    fragmentShader: SHELL_FRAGMENT,
    uniforms: { color: { value: color }, lifts: { value: new THREE.Vector2() } },
    transparent: true,
    depthWrite: false,
    depthTest,
  });
}

/** The ends of all edges of triangles whose corners stand one after the other. */
export function allEdges(corners: number) {
  const ends = new Uint32Array(corners * 2);
  for (let t = 0; t + 2 < corners; t += 3) ends.set([t, t + 1, t + 1, t + 2, t + 2, t], t * 2);
  return ends;
}

export function linesOf(
  geometry: THREE.BufferGeometry,
  ends: Uint32Array,
  color: THREE.Vector4,
  depthTest: boolean,
): Lines {
  const lines = new THREE.BufferGeometry();
  for (const name of SHARED) lines.setAttribute(name, geometry.getAttribute(name));
  lines.setIndex(new THREE.BufferAttribute(ends, 1));
  const made: Lines = new THREE.LineSegments(lines, flat(color, depthTest));
  made.frustumCulled = false;
  return made;
}

/** Some triangles in ember, just over the surface. */
export function litSkin(
  from: THREE.BufferGeometry,
  triangles: readonly number[],
): [THREE.BufferGeometry, THREE.ShaderMaterial] {
  const skin = new THREE.BufferGeometry();
  for (const name of SHARED) skin.setAttribute(name, from.getAttribute(name));
  skin.setIndex(triangles.flatMap((t) => [t * 3, t * 3 + 1, t * 3 + 2]));
  const material = flat(new THREE.Vector4(0.95, 0.42, 0.14, 0.55), true);
  material.side = THREE.DoubleSide;
  material.polygonOffset = true;
  material.polygonOffsetFactor = -2;
  material.polygonOffsetUnits = -2;
  return [skin, material];
}
