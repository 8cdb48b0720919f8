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

/** A geometry that borrows what the low-poly's shader reads, and gives it back when it is disposed of: to dispose of a geometry is to
 *  dispose of its attributes, which the low-poly still needs. */
function borrowing(from: THREE.BufferGeometry): THREE.BufferGeometry {
  const made = new THREE.BufferGeometry();
  for (const name of SHARED) made.setAttribute(name, from.getAttribute(name));
  const dispose = made.dispose.bind(made);
  made.dispose = () => {
    for (const name of SHARED) made.deleteAttribute(name);
    dispose();
  };
  return made;
}

/** Some faces of the low-poly once more, by their corners. */
export function skinOf(from: THREE.BufferGeometry, corners: Uint32Array): THREE.BufferGeometry {
  const made = borrowing(from);
  made.setIndex(new THREE.BufferAttribute(corners, 1));
  return made;
}

/** The ends of the edges of faces, by their corners. */
export function edgesOf(corners: Uint32Array) {
  const ends = new Uint32Array(corners.length * 2);
  for (let t = 0; t + 2 < corners.length; t += 3) {
    const [a = 0, b = 0, c = 0] = [corners[t], corners[t + 1], corners[t + 2]];
    ends.set([a, b, b, c, c, a], t * 2);
  }
  return ends;
}

export function linesOf(
  geometry: THREE.BufferGeometry,
  ends: Uint32Array,
  color: THREE.Vector4,
  depthTest: boolean,
): Lines {
  const lines = borrowing(geometry);
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
  const skin = borrowing(from);
  skin.setIndex(triangles.flatMap((t) => [t * 3, t * 3 + 1, t * 3 + 2]));
  const material = flat(new THREE.Vector4(0.95, 0.42, 0.14, 0.55), true);
  material.side = THREE.DoubleSide;
  material.polygonOffset = true;
  material.polygonOffsetFactor = -2;
  material.polygonOffsetUnits = -2;
  return [skin, material];
}
