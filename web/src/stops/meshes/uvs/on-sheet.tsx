// Seams, pins and what is taken hold of, on the sheet.
import { useMemo } from "react";
import { linePaths } from "../../../stages/sheet/paths";
import { useSheetLayer, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen } from "../../../stages/sheet/sheet-view";
import { seamLines } from "../layout/looks";
import { linesOn } from "../layout/paint";
import { useAtUvs, useUvState } from "./edit";
import { useUvHold } from "./hold";
import { endsOf } from "./picks";

/** A side of a pin's square, of the sheet's. */
const PIN = 0.008;

export function UvsOnSheet() {
  const at = useAtUvs();
  useUvHold(at);
  const state = useUvState().data;
  const { low, sheets, number } = useSheetScene();
  const drawn = useMemo(() => {
    if (!at || !low) return null;
    const paths = (ends: Uint32Array) => linePaths(linesOn(low, sheets, number, ends));
    const pins = new Path2D();
    const places = linesOn(
      low,
      sheets,
      number,
      new Uint32Array((state?.pins ?? []).flatMap((pin) => [pin, pin])),
    );
    for (let i = 0; i + 3 < places.length; i += 4) {
      const [u, v] = [places[i] ?? 0, 1 - (places[i + 1] ?? 0)];
      pins.rect(u - PIN / 2, v - PIN / 2, PIN, PIN);
    }
    const [cut, marked, cleared] = [
      seamLines(low),
      endsOf(state?.seams ?? []),
      endsOf(state?.cleared ?? []),
    ].map(paths);
    return (pen: Pen) => {
      if (cut) pen.path(cut, { line: "#1d1a17", width: 1.4 });
      if (cleared) pen.path(cleared, { line: "#5a9ad8", width: 2 });
      if (marked) pen.path(marked, { line: "#ee6629", width: 2.2 });
      pen.path(pins, { fill: "#ee6629", line: "#ffffff", width: 1 });
    };
  }, [at, state, low, sheets, number]);
  useSheetLayer(drawn);
  return null;
}
