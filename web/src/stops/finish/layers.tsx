// The open mask on both stages: in its own grey, as a tint or as an outline; and what hands do there.
import { useCallback, useEffect, useMemo, useState } from "react";
import { useRecipe } from "../../api/queries";
import { useMaskOnModel } from "../../stages/model/mask";
import { useSheetLayer, useSheetScene } from "../../stages/sheet/scene";
import type { Pen } from "../../stages/sheet/sheet-view";
import type { Painting } from "../stop";
import { MaterialOnModel, MaterialOnSheet } from "./coats/layers";
import { drawMask } from "./draw-mask";
import { useAtFinish, useOpenMask } from "./edit";
import { Hands } from "./hands";
import { useFollowingMask, useMaskPicture } from "./live";
import { PaintHand, useStroke, withStroke } from "./paint";
import { AskUnderPointer, MaskProbe } from "./probe";
import { useFinish } from "./state";

export function MaskOnModel() {
  const [recipe] = useRecipe();
  const stroke = useStroke();
  const at = useAtFinish();
  const drawn = useMemo(() => (recipe && stroke ? withStroke(recipe, stroke) : recipe), [recipe, stroke]);
  const tab = useFinish((s) => s.tab);
  const finishShow = useFinish((s) => s.finishShow);
  const finishes = (recipe?.finishes?.length ?? 0) > 0;
  useFollowingMask(drawn);
  const hand = useFinish((s) => s.hand);
  return at ? (
    <>
      <MaterialOnModel shows={tab === "finishes" && finishes} />
      {(tab === "masks" || finishShow === "place") && <Shown />}
      <Hands />
      {hand === "paint" && <PaintHand />}
    </>
  ) : null;
}

function Shown() {
  const show = useFinish((s) => s.show);
  const picture = useMaskPicture();
  useMaskOnModel(show === "off" ? null : (picture?.url ?? null), show === "off" ? "grey" : show);
  return null;
}

export function MaskOnSheet() {
  const at = useAtFinish();
  const tab = useFinish((s) => s.tab);
  const finishShow = useFinish((s) => s.finishShow);
  if (!at) return null;
  return (
    <>
      {tab === "masks" || finishShow === "place" ? <ShownOnSheet /> : <MaterialOnSheet />}
      <AskUnderPointer />
    </>
  );
}

/** The mask lies over the maps; in its own grey it takes their place on the sheet. */
export function useMaskPainting(): Painting | null {
  const at = useAtFinish();
  const mask = useOpenMask();
  const show = useFinish((s) => s.show);
  const { tab, finishShow, compare } = useFinish();
  if (!at || !mask) return null;
  if (tab === "finishes" && finishShow !== "place") {
    if (finishShow === "off") return null;
    const name = finishShow === "material" ? "BASE COLOUR" : finishShow.replace("-", " ").toUpperCase();
    const sides = finishShow === "material" && compare === "wipe" ? (["baked", "live"] as const) : null;
    return { name, tools: null, clicks: true, sides, probe: null };
  }
  return {
    name: show === "grey" ? "MASK" : null,
    tools: null,
    clicks: true,
    sides: null,
    probe: <MaskProbe />,
  };
}

function ShownOnSheet() {
  const show = useFinish((s) => s.show);
  const url = useMaskPicture()?.url ?? null;
  const { view } = useSheetScene();
  const [drawn, setDrawn] = useState<HTMLCanvasElement | null>(null);
  useEffect(() => {
    if (!url || show === "off") return setDrawn(null);
    let gone = false;
    drawMask(url, show).then(
      (canvas) => !gone && setDrawn(canvas),
      () => !gone && setDrawn(null),
    );
    return () => {
      gone = true;
    };
  }, [url, show]);
  const layer = useCallback(
    ({ context, at }: Pen) => {
      if (!drawn) return;
      const [left, top] = at([0, 1]);
      const [right, bottom] = at([1, 0]);
      context.imageSmoothingEnabled = right - left < drawn.width;
      context.drawImage(drawn, left, top, right - left, bottom - top);
    },
    [drawn],
  );
  useSheetLayer(view && drawn ? layer : null);
  return null;
}
