// Painting on the model by mouse, pen or finger, as a tool that the model stage takes.
import type { RefObject } from "react";
import { keepNow } from "../../api/queries";
import type { Recipe } from "../../api/types";
import type { Tool } from "../../stages/model/scene";
import type { Viewer } from "../../stages/model/viewer";
import { beginStroke, brushSize, endStroke, goOn, pressureOf } from "./brush";
import { withStroke } from "./live";

/** `ring`: the element that shows the brush's size under the pointer. */
export function brushTool(
  viewer: Viewer,
  ring: RefObject<HTMLDivElement | null>,
  edit: (change: (r: Recipe) => Recipe) => void,
): Tool {
  return {
    press: (at, e) => {
      // Each stroke is an undo step of its own: what is still waiting is kept first.
      keepNow();
      beginStroke(at.point, pressureOf(e));
    },
    drag: (at, e) => {
      if (at) goOn(at.point, pressureOf(e));
    },
    release: () => {
      const stroke = endStroke();
      if (!stroke) return;
      edit((r) => withStroke(r, stroke));
      keepNow();
    },
    hover: (at, e) => {
      const mark = ring.current;
      if (!mark) return;
      mark.style.display = at ? "block" : "none";
      if (!at || !e) return;
      const box = e.currentTarget.getBoundingClientRect();
      const width = 2 * viewer.pixelsAt(at.point, brushSize());
      mark.style.width = `${width}px`;
      mark.style.height = `${width}px`;
      mark.style.transform = `translate(${e.clientX - box.left - width / 2}px, ${e.clientY - box.top - width / 2}px)`;
    },
  };
}
