// What a click on either stage does: the stop that can do something with a place lends it. A drag is no click.
import { useEffect } from "react";
import type { Hover } from "./hover";

let lent: ((place: Hover) => void) | null = null;

/** Lends what a click does, for as long as the caller is mounted. */
export function useStageClick(act: (place: Hover) => void) {
  useEffect(() => {
    lent = act;
    return () => {
      if (lent === act) lent = null;
    };
  }, [act]);
}

export const clicked = (place: Hover) => lent?.(place);

/** Directions of the arrow keys: to the right, and down. */
const ARROWS: Record<string, readonly [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** What a key asks of a stage's cursor: Shift with an arrow moves it, Enter clicks there. Null for every other key. */
export function cursorKey(e: { key: string; shiftKey: boolean }): readonly [number, number] | "click" | null {
  if (e.key === "Enter") return "click";
  return e.shiftKey ? (ARROWS[e.key] ?? null) : null;
}

/** Pixels that a hand may move between press and release of a click. */
const STILL = 3;

/** Tells clicks from drags: `down` notes a press, `up` answers whether its release was a click. */
export class Press {
  private at: [number, number] | null = null;

  down(e: { button: number; clientX: number; clientY: number }) {
    this.at = e.button === 0 ? [e.clientX, e.clientY] : null;
  }

  up(e: { clientX: number; clientY: number }): boolean {
    const from = this.at;
    this.at = null;
    return from !== null && Math.hypot(e.clientX - from[0], e.clientY - from[1]) <= STILL;
  }
}
