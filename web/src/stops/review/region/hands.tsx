// Hands that choose a region: rectangles dragged on the sheet, an area painted on the model. Both show what was chosen on the sheet.
import { useMemo } from "react";
import { useOpen } from "../../../api/open";
import type { RegionRectangle } from "../../../api/types";
import { useStageClick } from "../../../stages/clicks";
import { BrushHand } from "../../../stages/model/brush-hand";
import type { Pointed } from "../../../stages/model/pointed";
import { useSheetHand, useSheetLayer, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen, SheetHand } from "../../../stages/sheet/sheet-view";
import { NOWHERE, placeOn, useSheets } from "../../../stages/sheets";
import { useDisplay } from "../../../stages/use-display";
import type { Point } from "../../../stages/view";
import { useDiagonal } from "../../finish/edit";
import { uvPerUnit } from "../mends/marks";
import { mendSize } from "../mends/state";
import { addToRegion, between, useRegionHand } from "./state";

const nothing = () => {};

/** On the model: the squares of the sheet that the brush passes over. */
export function RegionOnModel() {
  const there = useOpen((s) => s.stop === "review");
  const choosing = useRegionHand((s) => s.choosing);
  // A click with this hand traces nothing.
  useStageClick(there && choosing ? nothing : null);
  return there && choosing ? <ModelHand /> : null;
}

function ModelHand() {
  const diagonal = useDiagonal();
  const low = useDisplay("low").data ?? null;
  const sheets = useSheets(low);
  const brushing = useMemo(() => {
    const size = () => mendSize(diagonal);
    const paint = (_point: Point, _pressure: number, at: Pointed) => {
      const {
        sheet,
        uv: [u, v],
      } = placeOn(sheets, at.triangle, at.uv);
      if (!low || sheet === NOWHERE) return;
      const reach = size() * uvPerUnit(low, at.triangle);
      addToRegion(between(sheet, [u - reach, v - reach], [u + reach, v + reach]));
    };
    return { size, begin: paint, goOn: paint, end: nothing };
  }, [diagonal, low, sheets]);
  return <BrushHand brushing={brushing} />;
}

export function RegionOnSheet() {
  const there = useOpen((s) => s.stop === "review");
  return there ? <OnSheet /> : null;
}

function OnSheet() {
  const { number } = useSheetScene();
  const { choosing, rectangles, drawn } = useRegionHand();
  const hand = useMemo((): SheetHand | null => {
    if (!choosing) return null;
    let first: readonly [number, number] | null = null;
    return {
      press: (uv) => {
        first = uv;
        return true;
      },
      drag: (uv) => {
        if (first && uv) useRegionHand.setState({ drawn: between(number, first, uv) });
      },
      release: () => {
        const { drawn } = useRegionHand.getState();
        if (drawn) addToRegion(drawn);
        first = null;
      },
    };
  }, [choosing, number]);
  useSheetHand(hand);
  const layer = useMemo(() => {
    const all = [...rectangles, ...(drawn ? [drawn] : [])].filter((r) => (r.sheet ?? 0) === number);
    return all.length > 0 ? (pen: Pen) => outline(pen, all) : null;
  }, [rectangles, drawn, number]);
  useSheetLayer(layer);
  return null;
}

function outline({ context, at }: Pen, rectangles: readonly RegionRectangle[]) {
  context.save();
  for (const { from, to } of rectangles) {
    const [left, top] = at([from[0], to[1]]);
    const [right, bottom] = at([to[0], from[1]]);
    context.fillStyle = "#ffffff1c";
    context.fillRect(left, top, right - left, bottom - top);
    context.lineWidth = 1.5;
    for (const [color, offset] of [
      ["#000000c0", 0],
      ["#ffffff", 5],
    ] as const) {
      context.strokeStyle = color;
      context.setLineDash([5, 5]);
      context.lineDashOffset = offset;
      context.strokeRect(left, top, right - left, bottom - top);
    }
  }
  context.restore();
}
