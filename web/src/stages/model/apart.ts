// Pairs pulled apart on screen: the low-poly's corners are moved, so that pointing at them still works; the sculpt's many
// vertices are moved by its shader.
import type * as THREE from "three";
import type { MeshData } from "../mesh-data";

/** Where a part goes when pairs are pulled apart, scene units at full pull. */
export type Ways = ReadonlyMap<string, readonly [number, number, number]>;

const NOWHERE = [0, 0, 0] as const;

/** Parts go this many times their distance from the asset's middle. */
export const FURTHEST = 1.4;

/** Tells the sculpt's shader where each vertex goes. */
export function setAway(geometry: THREE.BufferGeometry, data: MeshData, ways: Ways) {
  const away = geometry.getAttribute("away") as THREE.BufferAttribute;
  for (const part of data.header.parts) {
    const [x, y, z] = ways.get(part.name) ?? NOWHERE;
    for (let i = part.start; i < part.start + part.count; i++) away.setXYZ(data.index[i] ?? 0, x, y, z);
  }
  away.needsUpdate = true;
}

/** Moves the low-poly's corners from where they rest along their parts' ways. */
export function pullCorners(
  geometry: THREE.BufferGeometry,
  data: MeshData,
  resting: Float32Array,
  ways: Ways,
  apart: number,
) {
  const slot = geometry.getAttribute("position") as THREE.BufferAttribute;
  const to = slot.array as Float32Array;
  for (const part of data.header.parts) {
    const way = ways.get(part.name) ?? NOWHERE;
    for (let corner = part.start; corner < part.start + part.count; corner++)
      for (let axis = 0; axis < 3; axis++)
        to[corner * 3 + axis] = (resting[corner * 3 + axis] ?? 0) + (way[axis] ?? 0) * apart;
  }
  slot.needsUpdate = true;
  geometry.computeBoundingSphere();
  geometry.computeBoundingBox();
}
