// The brush on the model: a stroke is gathered while the hand is down, shown as it grows, and kept as one undo step.
import type { Brush, Stroke } from "../../api/types";
import { useLive } from "./live";
import { useReach } from "./state";

export type Point = [number, number, number];

/** Points of a stroke lie at least this share of the brush's size apart. */
const APART = 0.2;
const MOST = 2000;

export const BRUSHES: readonly (readonly [Brush, string, string])[] = [
  ["more", "More", "Up to twice the reach under the brush."],
  ["less", "Less", "Down to half the reach under the brush."],
  ["smooth", "Smooth", "Evens the reach out between vertices."],
  ["set", "Set", "Sets the reach to one distance."],
  ["fitted", "Fitted", "Restores the fitted or typed reach."],
];
export const TURNS: readonly (readonly [Brush, string, string])[] = [
  ["plumb", "Plumb", "Rays square to the face: details stand upright."],
  ["averaged", "Averaged", "Back to averaged rays."],
];

export const turns = (brush: Brush | null) => brush === "plumb" || brush === "averaged";

/** The size in scene units: what was set, or a twentieth of the asset. */
export function brushSize(): number {
  const { brushSize: set } = useReach.getState();
  const diagonal = useLive.getState().envelope?.header.diagonal ?? 1;
  return set ?? diagonal * 0.05;
}

/** Begins a stroke at a point of the low-poly. */
export function beginStroke(point: Point, pressure: number) {
  const { brush, brushSide, brushStrength, brushValue, brushMirror } = useReach.getState();
  if (!brush) return;
  const stroke: Stroke = {
    brush,
    side: turns(brush) ? "out" : brushSide,
    size: brushSize(),
    strength: brushStrength,
    value: brush === "set" ? brushValue : null,
    mirror: brushMirror,
    path: [[...point, pressure]],
  };
  useLive.setState({ stroke });
}

export function goOn(point: Point, pressure: number) {
  const { stroke } = useLive.getState();
  const last = stroke?.path[stroke.path.length - 1];
  if (!stroke || !last || stroke.path.length >= MOST) return;
  const way = Math.hypot(point[0] - last[0], point[1] - last[1], point[2] - last[2]);
  if (way < stroke.size * APART) return;
  useLive.setState({ stroke: { ...stroke, path: [...stroke.path, [...point, pressure]] } });
}

/** Ends the stroke and gives it, for the recipe. */
export function endStroke(): Stroke | null {
  const { stroke } = useLive.getState();
  useLive.setState({ stroke: null });
  return stroke;
}

/** A pen presses as it presses; a mouse presses fully. */
export const pressureOf = (e: { pointerType: string; pressure: number }) =>
  e.pointerType === "pen" ? Math.max(0.02, Math.min(1, e.pressure)) : 1;
