// The brush on the model: a stroke is gathered while the hand is down, shown as it grows, and kept as one undo step.
import type { Brush, Stroke } from "../../api/types";
import { longer } from "../../stages/model/brush-hand";
import type { Point } from "../../stages/view";
import { useLive } from "./live";
import { useReach } from "./state";

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
  if (stroke)
    useLive.setState({ stroke: { ...stroke, path: longer(stroke.path, stroke.size, point, pressure) } });
}

/** Ends the stroke and gives it, for the recipe. */
export function endStroke(): Stroke | null {
  const { stroke } = useLive.getState();
  useLive.setState({ stroke: null });
  return stroke;
}
