// The region in hand: rectangles of the sheet that are to be baked by themselves at final quality.
import { create } from "zustand";
import type { RegionRectangle } from "../../../api/types";
import { setMend, useMendHand } from "../mends/state";

type Uv = readonly [number, number];

interface RegionHand {
  /** Drags on the sheet draw rectangles, drags on the model paint. */
  choosing: boolean;
  rectangles: readonly RegionRectangle[];
  /** The rectangle that is being drawn. */
  drawn: RegionRectangle | null;
}

export const useRegionHand = create<RegionHand>()(() => ({
  choosing: false,
  rectangles: [],
  drawn: null,
}));

/** As many as a run takes. */
const MOST = 256;

const inside = (x: number) => Math.min(1, Math.max(0, x));

/** The rectangle between two places of a sheet, cut to the sheet. */
export function between(sheet: number, [u, v]: Uv, [s, t]: Uv): RegionRectangle {
  return {
    sheet,
    from: [inside(Math.min(u, s)), inside(Math.min(v, t))],
    to: [inside(Math.max(u, s)), inside(Math.max(v, t))],
  };
}

const holds = (outer: RegionRectangle, inner: RegionRectangle) =>
  outer.sheet === inner.sheet &&
  [0, 1].every(
    (i) => (outer.from[i] ?? 0) <= (inner.from[i] ?? 0) && (outer.to[i] ?? 0) >= (inner.to[i] ?? 0),
  );

/** A list with one more; what lies within another is left out. */
export function added(
  list: readonly RegionRectangle[],
  rectangle: RegionRectangle,
): readonly RegionRectangle[] {
  const flat = rectangle.to[0] <= rectangle.from[0] || rectangle.to[1] <= rectangle.from[1];
  if (flat || list.some((other) => holds(other, rectangle))) return list;
  const kept = list.filter((other) => !holds(rectangle, other));
  return kept.length < MOST ? [...kept, rectangle] : list;
}

export const addToRegion = (rectangle: RegionRectangle) =>
  useRegionHand.setState((s) => ({ rectangles: added(s.rectangles, rectangle), drawn: null }));

/** Takes the region's hand, or puts it down. What was chosen stays until it is cleared. */
export function chooseRegion(choosing: boolean) {
  if (choosing) setMend({ tool: null });
  useRegionHand.setState({ choosing, drawn: null });
}

// One hand at a time: a tool for mends puts this one down.
useMendHand.subscribe((mends) => {
  if (mends.tool !== null && useRegionHand.getState().choosing) chooseRegion(false);
});

export const clearRegion = () => useRegionHand.setState({ choosing: false, rectangles: [], drawn: null });
