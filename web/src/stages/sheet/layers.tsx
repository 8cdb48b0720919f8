// The stage's own layers: triangles that a finding lights, and the cross where the other stage points.
import { useCallback, useEffect, useMemo, useRef } from "react";
import { hover } from "../hover";
import { uvsOf } from "../sheets";
import { useView } from "../view";
import { trianglePaths } from "./paths";
import { useSheetLayer, useSheetScene } from "./scene";
import type { Pen } from "./sheet-view";

export function Lit() {
  const lit = useView((s) => s.lit);
  const { low, sheets, number } = useSheetScene();
  const path = useMemo(() => {
    const uv = lit && low ? uvsOf(low, sheets, number, lit) : null;
    return uv && uv.length > 0 ? trianglePaths(uv) : null;
  }, [lit, low, sheets, number]);
  const layer = useMemo(
    () => path && ((pen: Pen) => pen.path(path, { fill: "#f2702480", line: "#ff8c40", width: 1.5 })),
    [path],
  );
  useSheetLayer(layer);
  return null;
}

/** Marks the place both stages point at. An element of its own: the sheet is not drawn anew for it. */
export function Cross() {
  const mark = useRef<SVGSVGElement>(null);
  const { view, number } = useSheetScene();
  const place = useCallback(() => {
    const at = hover.get();
    const spot = view && at && at.sheet === number ? view.at(at.uv) : null;
    if (!mark.current) return;
    mark.current.style.display = spot ? "block" : "none";
    if (spot) mark.current.style.transform = `translate(${spot[0]}px, ${spot[1]}px)`;
  }, [view, number]);
  useEffect(() => hover.listen(place), [place]);
  useEffect(() => view?.onDraw(place), [view, place]);
  const lines = "M5 0H13M-5 0H-13M0 5V13M0 -5V-13M7 0A7 7 0 1 0 -7 0A7 7 0 1 0 7 0";
  return (
    <svg
      ref={mark}
      viewBox="-14 -14 28 28"
      className="pointer-events-none absolute -top-3.5 -left-3.5 hidden size-7 fill-none"
      aria-hidden
    >
      <path d={lines} className="stroke-black/60" strokeWidth="3" />
      <path d={lines} className="stroke-white" strokeWidth="1.3" />
    </svg>
  );
}
