// The low-poly and the sculpt as the graphics card takes them: attributes of corners and the materials that draw them.
import * as THREE from "three";
import type { MeshData } from "./mesh-data";
import { HIGH_FRAGMENT, HIGH_VERTEX, LOW_FRAGMENT, LOW_VERTEX } from "./shaders";

/** Stone grey, where nothing else gives a colour. */
const PLAIN = new THREE.Vector3(0.62, 0.61, 0.6);

type Light = { value: THREE.Vector3 };

export function lowOf(data: MeshData, resting: Float32Array, light: Light, blank: THREE.Texture) {
  const geometry = new THREE.BufferGeometry();
  const count = data.header.vertices;
  const attribute = (name: string, from: string, size: number) =>
    geometry.setAttribute(
      name,
      new THREE.BufferAttribute(data.floats(from) ?? new Float32Array(count * size), size),
    );
  // A copy: it moves when pairs are pulled apart.
  geometry.setAttribute("position", new THREE.BufferAttribute(resting.slice(), 3));
  attribute("normal", "normal", 3);
  // Where the envelope lies over a corner and under it; filled when there is one.
  for (const name of ["rise", "sink"])
    geometry.setAttribute(name, new THREE.BufferAttribute(new Float32Array(count * 3), 3));
  attribute("uv", "uv", 2);
  attribute("frame", "tangent", 4);
  geometry.setAttribute("sheet", new THREE.BufferAttribute(new Float32Array(count), 1));
  geometry.setAttribute("tint", new THREE.BufferAttribute(new Uint8Array(count * 4), 4, true));
  const density = data.floats("density");
  const corners = new Float32Array(count).map((_, corner) => density?.[Math.floor(corner / 3)] ?? 0);
  geometry.setAttribute("density", new THREE.BufferAttribute(corners, 1));
  const material = new THREE.ShaderMaterial({
    vertexShader: LOW_VERTEX,
    fragmentShader: LOW_FRAGMENT,
    defines: { SHEETS: 1 },
    side: THREE.DoubleSide,
    uniforms: {
      light,
      maps: { value: [blank] },
      mode: { value: 0 },
      green: { value: 1 },
      base: { value: PLAIN },
      wipe: { value: 1e9 },
      lifts: { value: new THREE.Vector2() },
      checker: { value: blank },
      plumb: { value: blank },
      painted: { value: 0 },
      texels: { value: 1024 },
      detail: { value: 1 },
      split: { value: 0 },
    },
  });
  return { geometry, material };
}

export function highOf(data: MeshData, light: Light) {
  const geometry = new THREE.BufferGeometry();
  for (const name of ["position", "normal"])
    geometry.setAttribute(name, new THREE.BufferAttribute(data.floats(name) ?? new Float32Array(), 3));
  const colors = data.colors ?? new Uint8Array(data.header.vertices * 4).fill(150);
  geometry.setAttribute("tint", new THREE.BufferAttribute(colors, 4, true));
  const away = new THREE.BufferAttribute(new Float32Array(data.header.vertices * 3), 3);
  geometry.setAttribute("away", away);
  const material = new THREE.ShaderMaterial({
    vertexShader: HIGH_VERTEX,
    fragmentShader: HIGH_FRAGMENT,
    side: THREE.DoubleSide,
    uniforms: {
      light,
      base: { value: PLAIN },
      mode: { value: 0 },
      wipe: { value: -1 },
      apart: { value: 0 },
    },
  });
  return { geometry, material };
}
