// Marks of mends on the stages: where a clone takes from, and the path of the stroke in hand.
import * as THREE from "three";
import { type MeshData, partAt } from "../../../stages/mesh-data";
import { cornersOn, type Sheets } from "../../../stages/sheets";

function dots(points: readonly (readonly number[])[], color: number, size: number): THREE.Points {
  const at = new Float32Array(points.flatMap(([x = 0, y = 0, z = 0]) => [x, y, z]));
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(at, 3));
  const material = new THREE.PointsMaterial({
    color,
    size,
    sizeAttenuation: false,
    depthTest: false,
    transparent: true,
  });
  const drawn = new THREE.Points(geometry, material);
  drawn.renderOrder = 5;
  drawn.frustumCulled = false;
  return drawn;
}

export const sourceMark = (point: readonly number[]) => dots([point], 0xffffff, 9);

export const strokeMark = (path: readonly (readonly number[])[]) => dots(path, 0xffffff, 3);

/** How far off its surface a point may lie, as a share of a triangle's longest side. */
const OFF = 0.02;

/** Where a point of the low surface lies on a sheet; null where it lies on none of its triangles. */
export function uvOfPoint(
  low: MeshData,
  sheets: Sheets | null,
  sheet: number,
  point: readonly number[],
): [number, number] | null {
  const position = low.floats("position");
  if (!position) return null;
  const p = new THREE.Vector3(point[0], point[1], point[2]);
  const [a, b, c, near] = [0, 1, 2, 3].map(() => new THREE.Vector3()) as [
    THREE.Vector3,
    THREE.Vector3,
    THREE.Vector3,
    THREE.Vector3,
  ];
  const face = new THREE.Triangle(a, b, c);
  let best: { far: number; triangle: number; weights: THREE.Vector3 } | null = null;
  for (let t = 0; t < position.length / 9; t++) {
    if (partAt(low, t * 3) === "") continue;
    a.fromArray(position, t * 9);
    b.fromArray(position, t * 9 + 3);
    c.fromArray(position, t * 9 + 6);
    face.closestPointToPoint(p, near);
    const far = near.distanceTo(p);
    if (best && far >= best.far) continue;
    const most = Math.max(a.distanceTo(b), b.distanceTo(c), c.distanceTo(a)) * OFF;
    const weights = face.getBarycoord(near, new THREE.Vector3());
    if (far <= most && weights) best = { far, triangle: t, weights };
  }
  const uv = best && cornersOn(low, sheets, sheet, best.triangle);
  if (!best || !uv) return null;
  const { x, y, z } = best.weights;
  const along = (axis: 0 | 1) => (uv[axis] ?? 0) * x + (uv[axis + 2] ?? 0) * y + (uv[axis + 4] ?? 0) * z;
  return [along(0), along(1)];
}

/** UV units that a length of 1 takes on a triangle, about; 0 where it has no area. */
export function uvPerUnit(low: MeshData, triangle: number): number {
  const [position, uv] = [low.floats("position"), low.floats("uv")];
  if (!position || !uv) return 0;
  const [a, b, c] = [0, 3, 6].map((k) => new THREE.Vector3().fromArray(position, triangle * 9 + k)) as [
    THREE.Vector3,
    THREE.Vector3,
    THREE.Vector3,
  ];
  const area = b.sub(a).cross(c.sub(a)).length();
  const [u, v, ub, vb, uc, vc] = uv.subarray(triangle * 6, triangle * 6 + 6) as unknown as number[];
  const at = (x: number | undefined) => x ?? 0;
  const onSheet = Math.abs((at(ub) - at(u)) * (at(vc) - at(v)) - (at(vb) - at(v)) * (at(uc) - at(u)));
  return area > 0 ? Math.sqrt(onSheet / area) : 0;
}
