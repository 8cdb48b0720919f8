// Painting a mask on the model: a stroke is gathered while the hand is down, shown as it grows, and kept as one undo step.
import { useEffect, useMemo, useRef } from "react";
import { create } from "zustand";
import { keepNow, useRecipe } from "../../api/queries";
import type { MaskStroke, Recipe } from "../../api/types";
import { BrushHand, longer } from "../../stages/model/brush-hand";
import type { Point } from "../../stages/view";
import { useDiagonal, useOpenMask, withTerm } from "./edit";
import { useFinish } from "./state";

interface InHand {
  mask: string;
  term: number;
  stroke: MaskStroke;
}

const useInHand = create<{ now: InHand | null }>()(() => ({ now: null }));

/** The stroke under the hand, and where it is painted. */
export const useStroke = () => useInHand((s) => s.now);

/** The size in scene units: what was set, or a twentieth of the asset. */
export const brushSize = (diagonal: number) => useFinish.getState().brushSize ?? diagonal * 0.05;

export const withStroke = (recipe: Recipe, { mask, term, stroke }: InHand): Recipe =>
  withTerm(recipe, mask, term, (t) =>
    t.signal.kind === "paint" ? { ...t, signal: { ...t.signal, strokes: [...t.signal.strokes, stroke] } } : t,
  );

export function PaintHand() {
  const [, edit] = useRecipe();
  const mask = useOpenMask()?.name;
  const term = useFinish((s) => s.term);
  const diagonal = useDiagonal();
  const keep = useRef(edit);
  useEffect(() => {
    keep.current = edit;
  }, [edit]);
  const brushing = useMemo(
    () => ({
      size: () => brushSize(diagonal),
      begin: (point: Point, pressure: number) => {
        if (mask === undefined) return;
        keepNow();
        const { brush, brushStrength, brushMirror } = useFinish.getState();
        const stroke: MaskStroke = {
          brush,
          size: brushSize(diagonal),
          strength: brushStrength,
          mirror: brushMirror,
          path: [[...point, pressure]],
        };
        useInHand.setState({ now: { mask, term, stroke } });
      },
      goOn: (point: Point, pressure: number) => {
        const { now } = useInHand.getState();
        if (!now) return;
        const path = longer(now.stroke.path, now.stroke.size, point, pressure);
        if (path !== now.stroke.path)
          useInHand.setState({ now: { ...now, stroke: { ...now.stroke, path } } });
      },
      end: () => {
        const { now } = useInHand.getState();
        useInHand.setState({ now: null });
        if (!now) return;
        keep.current((r) => withStroke(r, now));
        keepNow();
      },
    }),
    [mask, term, diagonal],
  );
  return <BrushHand brushing={brushing} />;
}
