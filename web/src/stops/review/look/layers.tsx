// What a mip level mixes, marked on both stages, and what lies outside islands, hatched on the sheet.
import { useEffect, useMemo, useState } from "react";
import { mixingUrl } from "../../../api/client";
import { useShownRun } from "../../../api/queries";
import { useMaskOnModel } from "../../../stages/model/mask";
import { type Paths, trianglePaths } from "../../../stages/sheet/paths";
import { useSheetLayer, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen } from "../../../stages/sheet/sheet-view";
import { uvsOn } from "../../../stages/sheets";
import { useView } from "../../../stages/view";
import { useMips } from "./mips";

/** Where the marks of the mip level on screen lie; null where there are none. */
function useMarksUrl(): string | null {
  const run = useShownRun();
  const mip = useView((s) => s.mip);
  const sheet = useView((s) => s.sheet);
  const level = useMips(mip > 0 ? run : null).data?.find((one) => one.level === mip);
  return run && level && level.background + level.islands > 0 ? mixingUrl(run.id, mip, sheet) : null;
}

export function BleedingOnModel() {
  // A mask lies over every sheet: with several it would mark what is sound on the others.
  const one = useShownRun()?.report?.sheets.length === 1;
  const marks = useMarksUrl();
  useMaskOnModel(one ? marks : null, "hatched");
  return null;
}

export function LookOnSheet() {
  return (
    <>
      <BleedingOnSheet />
      <OutsideHatched />
    </>
  );
}

/** Colours of a texel that mixes in background, and in another island. */
const [BACKGROUND, ISLAND] = [
  [246, 128, 40, 200],
  [214, 52, 92, 190],
] as const;
/** Marks of so many texels per side have a shape: background a stroke, an island the whole texel. */
const MOST_SHAPED = 1024;

function BleedingOnSheet() {
  const url = useMarksUrl();
  const [marks, setMarks] = useState<HTMLCanvasElement | null>(null);
  useEffect(() => {
    if (!url) return setMarks(null);
    let gone = false;
    const image = new Image();
    image.onload = () => !gone && setMarks(tinted(image));
    image.onerror = () => !gone && setMarks(null);
    image.src = url;
    return () => {
      gone = true;
    };
  }, [url]);
  const layer = useMemo(() => {
    if (!marks) return null;
    return ({ context, at }: Pen) => {
      const [left, top] = at([0, 1]);
      const side = at([1, 1])[0] - left;
      context.save();
      context.imageSmoothingEnabled = false;
      context.drawImage(marks, left, top, side, side);
      context.restore();
    };
  }, [marks]);
  useSheetLayer(layer);
  return null;
}

function tinted(image: HTMLImageElement): HTMLCanvasElement {
  const canvas = document.createElement("canvas");
  const wide = image.naturalWidth;
  const cell = wide <= MOST_SHAPED ? 3 : 1;
  canvas.width = wide * cell;
  canvas.height = wide * cell;
  const context = canvas.getContext("2d");
  if (!context) return canvas;
  context.drawImage(image, 0, 0);
  const told = context.getImageData(0, 0, wide, wide).data;
  const pixels = context.createImageData(canvas.width, canvas.height);
  for (let y = 0; y < canvas.height; y++)
    for (let x = 0; x < canvas.width; x++) {
      const mixes = told[(Math.floor(y / cell) * wide + Math.floor(x / cell)) * 4] ?? 0;
      const stroke = cell === 1 || (x % cell) + (y % cell) === cell - 1;
      if (mixes === 255 || (mixes > 0 && stroke))
        pixels.data.set(mixes === 255 ? ISLAND : BACKGROUND, (y * canvas.width + x) * 4);
    }
  context.putImageData(pixels, 0, 0);
  return canvas;
}

/** Pixels from one line of the hatching to the next. */
const EVERY = 7;

function OutsideHatched() {
  const on = useView((s) => s.outside);
  const run = useShownRun();
  const { low, sheets, number } = useSheetScene();
  const settings = run?.report?.recipe?.sheet;
  const paths = useMemo(() => {
    const uv = on && low ? uvsOn(low, sheets, number) : null;
    return uv && trianglePaths(uv);
  }, [on, low, sheets, number]);
  const texels = settings && typeof settings.padding === "number" ? settings.padding / settings.size : null;
  const layer = useMemo(() => paths && ((pen: Pen) => hatchOutside(pen, paths, texels)), [paths, texels]);
  useSheetLayer(layer);
  return null;
}

/** Hatches what padding fills: so far around the islands, or all that lies outside of them. */
function hatchOutside({ context, at }: Pen, paths: Paths, reach: number | null) {
  const over = document.createElement("canvas");
  over.width = context.canvas.width;
  over.height = context.canvas.height;
  const pen = over.getContext("2d");
  if (!pen) return;
  const [left, top] = at([0, 1]);
  const side = at([1, 1])[0] - left;
  pen.setTransform(context.getTransform());
  pen.beginPath();
  pen.rect(left, top, side, side);
  pen.clip();
  pen.save();
  pen.translate(left, top);
  pen.scale(side, side);
  pen.fillStyle = "#000";
  pen.strokeStyle = "#000";
  if (reach === null) pen.fillRect(0, 0, 1, 1);
  else if (reach > 0) {
    pen.lineWidth = 2 * reach;
    pen.lineJoin = "round";
    for (const path of paths) pen.stroke(path);
  }
  pen.globalCompositeOperation = "destination-out";
  // A hair of stroke closes the cracks between neighbours.
  pen.lineWidth = 1 / side;
  for (const path of paths) {
    pen.fill(path);
    pen.stroke(path);
  }
  pen.restore();
  // What is left becomes lines.
  pen.globalCompositeOperation = "source-in";
  pen.fillStyle = hatching(pen);
  pen.fillRect(left, top, side, side);
  context.save();
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.drawImage(over, 0, 0);
  context.restore();
}

function hatching(pen: CanvasRenderingContext2D): CanvasPattern | string {
  const tile = document.createElement("canvas");
  tile.width = EVERY;
  tile.height = EVERY;
  const lines = tile.getContext("2d");
  if (!lines) return "#0008";
  for (const [color, shift] of [
    ["#000000b0", 0],
    ["#ffffffb0", 1],
  ] as const) {
    lines.strokeStyle = color;
    lines.beginPath();
    for (const across of [-EVERY, 0, EVERY]) {
      lines.moveTo(across + shift, EVERY);
      lines.lineTo(across + EVERY + shift, 0);
    }
    lines.stroke();
  }
  return pen.createPattern(tile, "repeat") ?? "#0008";
}
