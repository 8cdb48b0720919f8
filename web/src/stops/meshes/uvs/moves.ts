// Islands moved by hand: where they are taken hold of, and what a drag does to them. Moves are the ones of the step `move-uvs`: about the
// middle of the box around all that is selected, scaled, then turned, then moved.

export type Place = readonly [number, number];

export interface Box {
  low: Place;
  high: Place;
}

/** A move of islands. */
export interface Move {
  scale: [number, number];
  /** Degrees, counter-clockwise. */
  turn: number;
  by: [number, number];
}

/** Where islands are held: anywhere on them, by the knob above them, or by a corner of the box. */
export type Grip = "body" | "turn" | "low-low" | "high-low" | "high-high" | "low-high";

const CORNERS: readonly Grip[] = ["low-low", "high-low", "high-high", "low-high"];
/** With Shift turns go by steps of so many degrees. */
const STEP = 15;
/** Smallest and largest that a drag makes islands at once. */
const LEAST = 0.02;
const MOST = 50;

/** The box around some triangles, six numbers each; null without any. */
export function boxOf(uv: Float32Array, triangles: readonly number[]): Box | null {
  let [left, below, right, above] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const t of triangles) {
    for (let i = t * 6; i < t * 6 + 6; i += 2) {
      const [u, v] = [uv[i] ?? 0, uv[i + 1] ?? 0];
      left = Math.min(left, u);
      right = Math.max(right, u);
      below = Math.min(below, v);
      above = Math.max(above, v);
    }
  }
  return left <= right ? { low: [left, below], high: [right, above] } : null;
}

export const middleOf = ({ low, high }: Box): Place => [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2];

export function cornerOf({ low, high }: Box, grip: Grip): Place {
  const [across, up] = grip.split("-");
  return [across === "low" ? low[0] : high[0], up === "low" ? low[1] : high[1]];
}

/** Corners with where they lie. */
export const cornersOf = (box: Box) => CORNERS.map((grip) => [grip, cornerOf(box, grip)] as const);

/** Where the knob is that turns, so far above the box. */
export const knobOf = ({ low, high }: Box, above: number): Place => [(low[0] + high[0]) / 2, high[1] + above];

const apart = (a: Place, b: Place) => Math.hypot(a[0] - b[0], a[1] - b[1]);

/** The knob or corner that lies within `near` of a place, `above` the box for the knob. */
export function gripAt(box: Box, place: Place, near: number, above: number): Grip | null {
  if (apart(place, knobOf(box, above)) <= near) return "turn";
  const [nearest] = cornersOf(box).sort((a, b) => apart(a[1], place) - apart(b[1], place));
  return nearest && apart(nearest[1], place) <= near ? nearest[0] : null;
}

const OPPOSITE: Partial<Record<Grip, Grip>> = {
  "low-low": "high-high",
  "high-low": "low-high",
  "high-high": "low-low",
  "low-high": "high-low",
};

/** What a drag from one place to another means. With `stepped` islands move along one axis and turn by steps; a corner leaves the opposite
 * one where it is. */
export function moveOf(grip: Grip, box: Box, from: Place, to: Place, stepped: boolean): Move {
  const still: Move = { scale: [1, 1], turn: 0, by: [0, 0] };
  const way: [number, number] = [to[0] - from[0], to[1] - from[1]];
  const middle = middleOf(box);
  if (grip === "body") {
    if (stepped) way[Math.abs(way[0]) >= Math.abs(way[1]) ? 1 : 0] = 0;
    return { ...still, by: way };
  }
  if (grip === "turn") {
    const angle = (p: Place) => (Math.atan2(p[1] - middle[1], p[0] - middle[0]) * 180) / Math.PI;
    const turn = ((((angle(to) - angle(from) + 180) % 360) + 360) % 360) - 180;
    return { ...still, turn: stepped ? Math.round(turn / STEP) * STEP : turn };
  }
  const anchor = cornerOf(box, OPPOSITE[grip] ?? "low-low");
  const [x, y] = [from[0] - anchor[0], from[1] - anchor[1]];
  const along = ((to[0] - anchor[0]) * x + (to[1] - anchor[1]) * y) / Math.max(1e-12, x * x + y * y);
  const scale = Math.min(MOST, Math.max(LEAST, along));
  // The step scales about the middle.
  const by = middle.map((m, axis) => (m - (anchor[axis] ?? 0)) * (scale - 1)) as [number, number];
  return { ...still, scale: [scale, scale], by };
}

/** A move about a middle as the six numbers of a plane's map: u and v of what (1, 0), (0, 1) and (0, 0) add. */
export function mapOf({ scale, turn, by }: Move, middle: Place): readonly number[] {
  const [cos, sin] = [Math.cos((turn * Math.PI) / 180), Math.sin((turn * Math.PI) / 180)];
  const [a, b, c, d] = [cos * scale[0], sin * scale[0], -sin * scale[1], cos * scale[1]];
  return [
    a,
    b,
    c,
    d,
    middle[0] + by[0] - a * middle[0] - c * middle[1],
    middle[1] + by[1] - b * middle[0] - d * middle[1],
  ];
}
