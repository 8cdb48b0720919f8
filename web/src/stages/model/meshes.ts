// The low-poly and the sculpt as the graphics card takes them: attributes of corners and the materials that draw them.
import * as THREE from "three";
import { indexOf, type MeshData } from "../mesh-data";
import type { Sheets } from "../sheets";
import { materialDefines, materialUniforms } from "./material";
import { MODES } from "./paint";
import { HIGH_FRAGMENT, HIGH_VERTEX, LOW_FRAGMENT, LOW_VERTEX } from "./shaders";

/** Stone grey, where nothing else gives a colour. */
const PLAIN = new THREE.Vector3(0.62, 0.61, 0.6);

/** Uniforms that both meshes share: the light, and pixels of the canvas to one of the page. */
export interface SharedUniforms {
  light: { value: THREE.Vector3 };
  ratio: { value: number };
}
export type ShaderMesh = THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>;

/** A mesh on the stage, and what it was made from. */
export interface Side {
  mesh: ShaderMesh;
  data: MeshData;
}

export interface LowSide extends Side {
  /** Positions before anything is pulled apart. */
  resting: Float32Array;
  /** Averaged direction of each corner. */
  outward: Float32Array;
}

function meshOf(geometry: THREE.BufferGeometry, material: THREE.ShaderMaterial): ShaderMesh {
  const mesh = new THREE.Mesh(geometry, material);
  mesh.frustumCulled = false;
  return mesh;
}

export function lowOf(data: MeshData, shared: SharedUniforms, blank: THREE.Texture): LowSide {
  const geometry = new THREE.BufferGeometry();
  const count = data.header.vertices;
  const resting = data.floats("position") ?? new Float32Array(count * 3);
  const attribute = (name: string, from: string, size: number) =>
    geometry.setAttribute(
      name,
      new THREE.BufferAttribute(data.floats(from) ?? new Float32Array(count * size), size),
    );
  // A copy: it moves when pairs are pulled apart.
  geometry.setAttribute("position", new THREE.BufferAttribute(resting.slice(), 3));
  attribute("normal", "normal", 3);
  // Where something lies over a corner and under it: the envelope, when there is one.
  for (const name of ["rise", "sink"])
    geometry.setAttribute(name, new THREE.BufferAttribute(new Float32Array(count * 3), 3));
  attribute("uv", "uv", 2);
  attribute("frame", "tangent", 4);
  geometry.setAttribute("sheet", new THREE.BufferAttribute(new Float32Array(count), 1));
  geometry.setAttribute("tint", new THREE.BufferAttribute(new Uint8Array(count * 4), 4, true));
  geometry.setAttribute("density", new THREE.BufferAttribute(new Float32Array(count), 1));
  const material = new THREE.ShaderMaterial({
    vertexShader: LOW_VERTEX,
    fragmentShader: LOW_FRAGMENT,
    defines: { SHEETS: 1, MODE: MODES.bare, MASKED: 0, ...materialDefines() },
    side: THREE.DoubleSide,
    uniforms: {
      ...shared,
      maps: { value: [blank] },
      green: { value: 1 },
      strength: { value: 1 },
      base: { value: PLAIN },
      wipe: { value: 1e9 },
      lifts: { value: new THREE.Vector2() },
      picture: { value: blank },
      mask: { value: blank },
      texels: { value: 1024 },
      detail: { value: 1 },
      split: { value: 0 },
      ...materialUniforms(),
    },
  });
  const outward = data.floats("outward") ?? new Float32Array(count * 3);
  return { mesh: meshOf(geometry, material), data, resting, outward };
}

export function highOf(data: MeshData, shared: SharedUniforms): Side {
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
      ...shared,
      base: { value: PLAIN },
      mode: { value: 0 },
      wipe: { value: -1 },
      apart: { value: 0 },
    },
  });
  return { mesh: meshOf(geometry, material), data };
}

/** Leaves hidden parts out of what is drawn and pointed at. */
export function hideParts({ mesh, data }: Side, hidden: ReadonlySet<string>) {
  mesh.geometry.setIndex(new THREE.BufferAttribute(indexOf(data, hidden), 1));
}

/** Gives each corner its triangle's density. */
export function setDensities({ mesh }: Side, densities: Float32Array | null) {
  const slot = mesh.geometry.getAttribute("density") as THREE.BufferAttribute;
  const corners = slot.array as Float32Array;
  for (let corner = 0; corner < slot.count; corner++)
    corners[corner] = densities?.[Math.floor(corner / 3)] ?? 0;
  slot.needsUpdate = true;
}

/** Gives each corner its triangle's colour. */
export function setTints({ mesh }: Side, tints: Uint8Array) {
  const slot = mesh.geometry.getAttribute("tint") as THREE.BufferAttribute;
  const corners = slot.array as Uint8Array;
  for (let corner = 0; corner < slot.count; corner++) {
    const from = Math.floor(corner / 3) * 4;
    corners.set(tints.subarray(from, from + 4), corner * 4);
  }
  slot.needsUpdate = true;
}

/** Tells each corner the sheet its triangle lies on. */
export function setSheets({ mesh }: Side, sheets: Sheets | null) {
  const slot = mesh.geometry.getAttribute("sheet") as THREE.BufferAttribute;
  for (let corner = 0; corner < slot.count; corner++)
    slot.setX(corner, sheets?.of[Math.floor(corner / 3)] ?? 0);
  slot.needsUpdate = true;
}
