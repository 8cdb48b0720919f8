// Painting on the model by mouse, pen or finger: a drag that begins on the low-poly paints, one beside it or with Alt turns the model.
import { type PointerEvent, type RefObject, useRef } from "react";
import { keepNow, useRecipe } from "../api/queries";
import type { Pointed, Viewer } from "../model/viewer";
import { useStore } from "../state";
import { beginStroke, brushSize, endStroke, goOn, pressureOf } from "./brush";
import { useLive, withStroke } from "./live";

export interface BrushHand {
  down: (e: PointerEvent) => void;
  move: (e: PointerEvent) => void;
  up: (e: PointerEvent) => void;
  leave: () => void;
}

/** `ring`: the element that shows the brush's size under the pointer. */
export function useBrush(viewer: Viewer | null, ring: RefObject<HTMLDivElement | null>): BrushHand {
  const [, edit] = useRecipe();
  const painting = useRef(false);

  const under = (e: PointerEvent): Pointed | null => {
    if (!(e.target instanceof HTMLCanvasElement)) return null;
    const box = e.currentTarget.getBoundingClientRect();
    return viewer?.pick(e.clientX - box.left, e.clientY - box.top) ?? null;
  };
  const show = (e: PointerEvent, at: Pointed | null) => {
    const mark = ring.current;
    if (!mark || !viewer) return;
    const shown = at !== null && useStore.getState().brush !== null;
    mark.style.display = shown ? "block" : "none";
    if (!shown || !at) return;
    const box = e.currentTarget.getBoundingClientRect();
    const width = 2 * viewer.pixelsAt(at.point, brushSize());
    mark.style.width = `${width}px`;
    mark.style.height = `${width}px`;
    mark.style.transform = `translate(${e.clientX - box.left - width / 2}px, ${e.clientY - box.top - width / 2}px)`;
  };
  return {
    down: (e) => {
      const { brush } = useStore.getState();
      const at = brush && e.button === 0 && !e.altKey ? under(e) : null;
      viewer?.setTurnable(at === null);
      if (!at) return;
      // Each stroke is an undo step of its own: what is still waiting is kept first.
      keepNow();
      painting.current = true;
      e.currentTarget.setPointerCapture(e.pointerId);
      beginStroke(at.point, pressureOf(e));
    },
    move: (e) => {
      const { brush } = useStore.getState();
      if (!brush) return;
      const at = under(e);
      show(e, at);
      if (painting.current && at) goOn(at.point, pressureOf(e));
    },
    up: () => {
      viewer?.setTurnable(true);
      if (!painting.current) return;
      painting.current = false;
      const stroke = endStroke();
      if (!stroke) return;
      edit((r) => withStroke(r, stroke));
      keepNow();
    },
    leave: () => {
      if (ring.current) ring.current.style.display = "none";
      if (!painting.current) useLive.setState({ stroke: null });
    },
  };
}
