// Where each pair goes when pairs are pulled apart, and where its number stands.
import type { PairView } from "../../api/types";
import type { MeshData } from "../../stages/mesh-data";
import { FURTHEST, type Ways } from "../../stages/model/apart";
import type { Point } from "../../stages/view";

/** The middle of a part's box, and its topmost point, where its number stands. */
function placeOf(data: MeshData, name: string): { middle: Point; top: Point } | null {
  const part = data.header.parts.find((p) => p.name === name);
  const position = data.floats("position");
  if (!part || !position || part.count === 0) return null;
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  let top = 0;
  for (let i = part.start; i < part.start + part.count; i++) {
    const vertex = data.index[i] ?? 0;
    if (i === part.start || (position[vertex * 3 + 1] ?? 0) > (position[top * 3 + 1] ?? 0)) top = vertex;
    for (let axis = 0; axis < 3; axis++) {
      const x = position[vertex * 3 + axis] ?? 0;
      low[axis] = Math.min(low[axis] ?? x, x);
      high[axis] = Math.max(high[axis] ?? x, x);
    }
  }
  const middle = low.map((x, axis) => (x + (high[axis] ?? x)) / 2) as Point;
  return { middle, top: [0, 1, 2].map((axis) => position[top * 3 + axis] ?? 0) as Point };
}

/** Pairs go away from the asset's middle, further the further out they lie; those at the middle go up. */
export function waysApart(pairs: PairView[], low: MeshData): { low: Ways; high: Ways; tops: Ways } {
  const { low_corner, high_corner } = low.header;
  const middle = low_corner.map((x, axis) => (x + (high_corner[axis] ?? x)) / 2);
  const size = Math.hypot(...low_corner.map((x, axis) => (high_corner[axis] ?? x) - x));
  const ways = {
    low: new Map<string, Point>(),
    high: new Map<string, Point>(),
    tops: new Map<string, Point>(),
  };
  for (const pair of pairs) {
    const own = placeOf(low, pair.low);
    if (!own) continue;
    const from = own.middle.map((x, axis) => x - (middle[axis] ?? 0)) as Point;
    const length = Math.hypot(...from);
    const near = length < size * 0.02;
    const way = (near ? [0, size * 0.12, 0] : from.map((x) => x * FURTHEST)) as Point;
    ways.low.set(pair.low, way);
    ways.tops.set(pair.low, own.top);
    for (const part of pair.high) if (!ways.high.has(part.name)) ways.high.set(part.name, way);
  }
  return ways;
}
