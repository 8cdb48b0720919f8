// A brush in hand: drags on the model are strokes, with a ring of the brush's size under the pointer. What a stroke does is the stop's.
import { type RefObject, useMemo, useRef } from "react";
import type { Point } from "../view";
import type { Pointed } from "./pointed";
import { type Tool, useScene, useTool } from "./scene";
import type { Viewer } from "./viewer";

export interface Brushing {
  /** Distance along the surface at which the effect ends, scene units. */
  size: () => number;
  begin: (point: Point, pressure: number, at: Pointed) => void;
  goOn: (point: Point, pressure: number, at: Pointed) => void;
  end: () => void;
}

/** The ring of a brush's size, legible on any picture; hidden until it has a place. */
export const RING =
  "pointer-events-none absolute top-0 left-0 hidden rounded-full border-[1.5px] border-white shadow-[0_0_0_1px_#0009,inset_0_0_0_1px_#0009]";

/** A pen presses as it presses; a mouse presses fully. */
export const pressureOf = (e: { pointerType: string; pressure: number }) =>
  e.pointerType === "pen" ? Math.max(0.02, Math.min(1, e.pressure)) : 1;

/** Points of a stroke lie at least this share of the brush's size apart. */
const APART = 0.2;
const MOST = 2000;

type Path = [number, number, number, number][];

/** The path of a stroke with a place added; the same path where the place adds nothing to it. */
export function longer(path: Path, size: number, point: Point, pressure: number): Path {
  const last = path.at(-1);
  if (!last || path.length >= MOST) return path;
  const way = Math.hypot(point[0] - last[0], point[1] - last[1], point[2] - last[2]);
  return way < size * APART ? path : [...path, [...point, pressure]];
}

function toolOf(viewer: Viewer, ring: RefObject<HTMLDivElement | null>, brushing: Brushing): Tool {
  return {
    press: (at, e) => brushing.begin(at.point, pressureOf(e), at),
    drag: (at, e) => at && brushing.goOn(at.point, pressureOf(e), at),
    release: brushing.end,
    hover: (at: Pointed | null, e) => {
      const mark = ring.current;
      if (!mark) return;
      mark.style.display = at ? "block" : "none";
      if (!at || !e) return;
      const box = e.currentTarget.getBoundingClientRect();
      const width = 2 * viewer.pixelsAt(at.point, brushing.size());
      mark.style.width = `${width}px`;
      mark.style.height = `${width}px`;
      mark.style.transform = `translate(${e.clientX - box.left - width / 2}px, ${e.clientY - box.top - width / 2}px)`;
    },
  };
}

export function BrushHand({ brushing }: { brushing: Brushing }) {
  const ring = useRef<HTMLDivElement>(null);
  const scene = useScene();
  const tool = useMemo(() => (scene ? toolOf(scene.viewer, ring, brushing) : null), [scene, brushing]);
  useTool(tool);
  return <div ref={ring} aria-hidden className={RING} />;
}
