// The place both stages point at. It changes with every move of a hand, so it lives outside React's tree: stages draw it themselves,
// and only what tells of it re-renders, through `useHover`.
import { useSyncExternalStore } from "react";
import type { Point } from "./view";

export interface Hover {
  from: "model" | "sheet";
  /** On the sheet of this number, 0..1 from its lower left corner. */
  uv: [number, number];
  sheet: number;
  point: Point | null;
  part: string | null;
  /** Triangle of the low-poly, when one is pointed at. */
  triangle: number | null;
}

let now: Hover | null = null;
const listeners = new Set<() => void>();

export const hover = {
  get: () => now,
  set: (next: Hover | null) => {
    if (next === now) return;
    now = next;
    for (const listener of listeners) listener();
  },
  /** Hears of every change; the answer ends it. */
  listen: (listener: () => void) => {
    listeners.add(listener);
    return () => {
      listeners.delete(listener);
    };
  },
};

/** Something of the place pointed at; re-renders only when that something changes. */
export function useHover<T extends string | number | boolean | null>(of: (hover: Hover | null) => T): T {
  return useSyncExternalStore(hover.listen, () => of(now));
}
