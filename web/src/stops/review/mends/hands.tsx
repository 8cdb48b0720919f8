// Hands that mend: drags on the model or the sheet are strokes. Both follow the surface of the low-poly, so that a stroke lies in the same
// place whichever stage it was drawn on.
import { useCallback, useEffect, useMemo, useRef } from "react";
import { toast } from "sonner";
import { api } from "../../../api/client";
import { useOpen } from "../../../api/open";
import { keepNow, say, useMapLabels, useRecipe, useShownRun } from "../../../api/queries";
import { useStageClick } from "../../../stages/clicks";
import { type Hover, hover } from "../../../stages/hover";
import { UvFinder } from "../../../stages/mesh-data";
import { BrushHand, pressureOf, RING } from "../../../stages/model/brush-hand";
import { useDrawn, useScene } from "../../../stages/model/scene";
import { useSheetHand, useSheetLayer, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen, SheetHand } from "../../../stages/sheet/sheet-view";
import { useShownPicture } from "../../../stages/sheet/shown";
import type { Point } from "../../../stages/view";
import { useDiagonal } from "../../finish/edit";
import { useMendedPictures } from "./live";
import { sourceMark, strokeMark, uvOfPoint, uvPerUnit } from "./marks";
import { beginMend, endMend, goOnMending, mendSize, setMend, settleMend, useMendHand } from "./state";

const useToolInHand = () => useMendHand((s) => s.tool !== null);

/** Strokes are kept one after the other, in the order in which they were drawn. */
let keeping: Promise<void> = Promise.resolve();

/** Keeps the stroke that ends, with what lies beneath it. */
function useKeepStroke() {
  const run = useShownRun();
  const [, edit] = useRecipe();
  const label = useMapLabels();
  const now = useRef({ run, edit, label });
  useEffect(() => {
    now.current = { run, edit, label };
  });
  return useCallback(() => {
    const stroke = endMend();
    const { run, edit, label } = now.current;
    if (!stroke) return;
    const keep = async () => {
      if (!run) return;
      const { mend, idle } = await api.beneath(run.id, stroke);
      if (idle.length === mend.maps.length) {
        toast(`The stroke touches no texel of ${idle.map(label).join(", ")}. Use a larger brush.`);
        return;
      }
      edit((r) => ({ ...r, mends: { strokes: [...(r.mends?.strokes ?? []), mend] } }));
      keepNow();
    };
    keeping = keeping
      .then(keep)
      .catch(say)
      .finally(() => settleMend(stroke));
  }, []);
}

/** A click with a tool in hand traces nothing; with Alt it chooses where Clone takes from. */
function useSourceClick() {
  const mending = useToolInHand();
  const click = useCallback((place: Hover, { altKey }: { altKey: boolean }) => {
    if (altKey && place.point && useMendHand.getState().tool === "clone") setMend({ from: place.point });
  }, []);
  useStageClick(mending ? click : null);
}

export function MendsOnModel() {
  const there = useOpen((s) => s.stop === "review");
  return there ? <OnModel /> : null;
}

function OnModel() {
  useMendedPictures();
  useSourceClick();
  const mending = useToolInHand();
  const { from, stroke, tool } = useMendHand();
  const scene = useScene();
  const source = tool === "clone" ? from : null;
  const mark = useCallback(() => (source && scene ? [sourceMark(source)] : null), [source, scene]);
  useDrawn(mark);
  const path = stroke?.path;
  const trail = useCallback(() => (path && scene ? [strokeMark(path)] : null), [path, scene]);
  useDrawn(trail);
  return mending ? <ModelHand /> : null;
}

function ModelHand() {
  const diagonal = useDiagonal();
  const { map } = useShownPicture();
  const end = useKeepStroke();
  const brushing = useMemo(
    () => ({
      size: () => mendSize(diagonal),
      begin: (point: Point, pressure: number) => beginMend(point, pressure, diagonal, map),
      goOn: goOnMending,
      end,
    }),
    [diagonal, map, end],
  );
  return <BrushHand brushing={brushing} />;
}

export function MendsOnSheet() {
  const there = useOpen((s) => s.stop === "review");
  return there ? <OnSheet /> : null;
}

function OnSheet() {
  const { low, sheets, number } = useSheetScene();
  const mending = useToolInHand();
  const { from, stroke, tool } = useMendHand();
  const diagonal = useDiagonal();
  const { map } = useShownPicture();
  const end = useKeepStroke();
  const finder = useMemo(() => low && new UvFinder(low, sheets), [low, sheets]);
  const hand = useMemo((): SheetHand | null => {
    if (!mending || !finder) return null;
    const at = (uv: readonly [number, number] | null) =>
      (uv && finder.find(uv[0], uv[1], number)?.point) ?? null;
    return {
      press: (uv, e) => {
        const point = at(uv);
        if (point) beginMend(point, pressureOf(e), diagonal, map);
        return true;
      },
      drag: (uv, e) => {
        const point = at(uv);
        if (point) goOnMending(point, pressureOf(e));
      },
      release: end,
    };
  }, [mending, finder, number, diagonal, map, end]);
  useSheetHand(hand);
  const source = tool === "clone" ? from : null;
  const path = stroke?.path;
  const layer = useMemo(() => {
    if (!low || (!source && !path)) return null;
    const place = (point: readonly number[]) => uvOfPoint(low, sheets, number, point);
    const [cross, dots] = [source && place(source), path?.map(place) ?? []];
    return (pen: Pen) => {
      const { context } = pen;
      context.save();
      context.lineWidth = 1.5;
      if (cross) {
        const [x, y] = pen.at(cross);
        for (const [color, wide] of [
          ["#000a", 3],
          ["#fff", 1.5],
        ] as const) {
          context.strokeStyle = color;
          context.lineWidth = wide;
          context.beginPath();
          context.moveTo(x - 7, y);
          context.lineTo(x + 7, y);
          context.moveTo(x, y - 7);
          context.lineTo(x, y + 7);
          context.stroke();
        }
      }
      context.fillStyle = "#ffffffb0";
      for (const uv of dots) {
        if (!uv) continue;
        const [x, y] = pen.at(uv);
        context.beginPath();
        context.arc(x, y, 1.6, 0, 2 * Math.PI);
        context.fill();
      }
      context.restore();
    };
  }, [low, sheets, number, source, path]);
  useSheetLayer(layer);
  return mending ? <Ring diagonal={diagonal} /> : null;
}

/** The brush's size where the pointer is. An element of its own: the sheet is not drawn anew for it. */
function Ring({ diagonal }: { diagonal: number }) {
  const mark = useRef<HTMLDivElement>(null);
  const { view, low, number } = useSheetScene();
  const place = useCallback(() => {
    const at = hover.get();
    const ring = mark.current;
    if (!ring) return;
    const there = view && low && at && at.sheet === number && at.triangle !== null ? at : null;
    ring.style.display = there ? "block" : "none";
    if (!there || !view || !low || there.triangle === null) return;
    const width = 2 * mendSize(diagonal) * uvPerUnit(low, there.triangle) * view.pixels;
    const [x, y] = view.at(there.uv);
    ring.style.width = `${width}px`;
    ring.style.height = `${width}px`;
    ring.style.transform = `translate(${x - width / 2}px, ${y - width / 2}px)`;
  }, [view, low, number, diagonal]);
  useEffect(() => hover.listen(place), [place]);
  useEffect(() => view?.onDraw(place), [view, place]);
  return <div ref={mark} aria-hidden className={RING} />;
}
