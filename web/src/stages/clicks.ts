// What a click on either stage does: the stop that can do something with a place lends it. A drag is no click.
import { useEffect, useRef } from "react";
import type { Hover } from "./hover";

/** Keys that were held with a click. */
export interface Held {
  altKey: boolean;
  shiftKey: boolean;
}

type Act = (place: Hover, held: Held) => void;

/** What clicks do, the latest wish last: when it goes, the one before it holds again. */
const lent: { current: Act | null }[] = [];

/** Lends what a click does, for as long as the caller is mounted; null lends nothing. An act that changes keeps its turn. */
export function useStageClick(act: Act | null) {
  const wish = useRef(act);
  useEffect(() => {
    wish.current = act;
  }, [act]);
  const lends = act !== null;
  useEffect(() => {
    if (!lends) return;
    lent.push(wish);
    return () => {
      lent.splice(lent.lastIndexOf(wish), 1);
    };
  }, [lends]);
}

export const clicked = (place: Hover, { altKey, shiftKey }: Held) =>
  lent.at(-1)?.current?.(place, { altKey, shiftKey });

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
