// What of the low-poly lies next to a place that was clicked: the side, and the corner. Both are three times the triangle plus a number.
import type { MeshData } from "../../../stages/mesh-data";
import type { Point } from "../../../stages/view";

type Corners = [Point, Point, Point];

function cornersOf(data: MeshData, triangle: number): Corners | null {
  const position = data.floats("position");
  if (!position || triangle * 9 + 8 >= position.length) return null;
  const corner = (k: number): Point => {
    const at = triangle * 9 + k * 3;
    return [position[at] ?? 0, position[at + 1] ?? 0, position[at + 2] ?? 0];
  };
  return [corner(0), corner(1), corner(2)];
}

const minus = (a: Point, b: Point): Point => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
const dot = (a: Point, b: Point) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

function toSegment(p: Point, a: Point, b: Point): number {
  const along = minus(b, a);
  const share = Math.min(1, Math.max(0, dot(minus(p, a), along) / Math.max(1e-30, dot(along, along))));
  const foot: Point = [a[0] + along[0] * share, a[1] + along[1] * share, a[2] + along[2] * share];
  return Math.hypot(...minus(p, foot));
}

const nearest = (triangle: number, far: (k: number) => number) =>
  3 * triangle + [0, 1, 2].reduce((best, k) => (far(k) < far(best) ? k : best), 0);

/** The side of a triangle next to a point. */
export function sideAt(data: MeshData, triangle: number, point: Point): number | null {
  const corners = cornersOf(data, triangle);
  if (!corners) return null;
  return nearest(triangle, (k) => toSegment(point, corners[k] as Point, corners[(k + 1) % 3] as Point));
}

/** The corner of a triangle next to a point. */
export function cornerAt(data: MeshData, triangle: number, point: Point): number | null {
  const corners = cornersOf(data, triangle);
  return corners && nearest(triangle, (k) => Math.hypot(...minus(point, corners[k] as Point)));
}

/** The two corners of sides, one after the other. */
export function endsOf(sides: readonly number[]): Uint32Array {
  return new Uint32Array(sides.flatMap((side) => [side, side - (side % 3) + (((side % 3) + 1) % 3)]));
}

/** Triangles of the islands that some triangles belong to. */
export function islandsOf(data: MeshData, triangles: readonly number[]): number[] {
  const island = data.uints("island");
  if (!island) return [];
  const wanted = new Set(triangles.map((t) => island[t]));
  const found: number[] = [];
  for (let t = 0; t < island.length; t++) if (wanted.has(island[t])) found.push(t);
  return found;
}
