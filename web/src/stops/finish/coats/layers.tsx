// The finishes on both stages: the model lit as its material, or a channel by itself on model and sheet.
import { useCallback, useMemo } from "react";
import { useRecipe } from "../../../api/queries";
import type { Finish } from "../../../api/types";
import { type Against, useDropped, usePaint } from "../../../stages/model/scene";
import { useTextures } from "../../../stages/model/textures";
import { useSheetLayer, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen } from "../../../stages/sheet/sheet-view";
import { useLoadedPicture } from "../../../stages/sheet/use-image";
import { openCoat, useFinish } from "../state";
import { useAgainstLive, useBakedMaterial, useHeldRun } from "./against";
import { withFinishes } from "./edit";
import { DRAGGED_FINISH } from "./finish-list";
import { useFollowingMaterial, useMaterialPictures } from "./live";

/** Follows the recipe, and paints the model with what comes of it. */
export function MaterialOnModel({ shows }: { shows: boolean }) {
  useFollowingMaterial();
  useHeldRun();
  const [, edit] = useRecipe();
  const drop = useCallback(
    (text: string, part: string) => {
      const finish = { ...(JSON.parse(text) as Finish), on: { parts: [part] } };
      edit((r) => withFinishes(r, [finish])[0]);
      openCoat(finish.name);
    },
    [edit],
  );
  useDropped(DRAGGED_FINISH, drop);
  return shows ? <Painted /> : null;
}

function Painted() {
  const show = useFinish((s) => s.finishShow);
  const sky = useFinish((s) => s.sky);
  const exposure = useFinish((s) => s.exposure);
  const plain = useFinish((s) => s.plain);
  const pictures = useMaterialPictures();
  const textures = useTextures(
    Object.fromEntries(pictures.flatMap((p) => (p.picture ? [[p.map, p.picture]] : []))),
  );
  const paint = useMemo(() => {
    if (!textures["base-color"] || show === "off" || show === "place") return null;
    if (show === "material") return { kind: "material", textures, sky, exposure, plain } as const;
    const texture = textures[show];
    return texture ? ({ kind: "picture", texture } as const) : null;
  }, [textures, show, sky, exposure, plain]);
  const against = useAgainst(paint !== null && show === "material");
  usePaint(paint, against);
  return null;
}

/** The baked maps on the left and the finish worked out at their size on the right; null while they are not compared. */
function useAgainst(wanted: boolean): Against | null {
  const compare = useFinish((s) => s.compare);
  const sky = useFinish((s) => s.sky);
  const exposure = useFinish((s) => s.exposure);
  const plain = useFinish((s) => s.plain);
  const on = wanted && compare !== "off";
  const live = useAgainstLive().data;
  const baked = useTextures(useBakedMaterial() ?? NO_URLS);
  const now = useTextures(
    Object.fromEntries(
      (on ? (live?.pictures ?? []) : []).flatMap((p) => (p.picture ? [[p.map, p.picture]] : [])),
    ),
  );
  return useMemo(() => {
    if (!on || !baked["base-color"] || !now["base-color"]) return null;
    const look = { kind: "material", sky, exposure, plain } as const;
    return { how: compare, left: { ...look, textures: baked }, right: { ...look, textures: now } };
  }, [on, compare, baked, now, sky, exposure, plain]);
}
const NO_URLS = {};

/** The channel that shows on the sheet. */
export function MaterialOnSheet() {
  const show = useFinish((s) => s.finishShow);
  const pictures = useMaterialPictures();
  const wanted = show === "material" ? "base-color" : show;
  const url = pictures.find((p) => p.map === wanted)?.picture ?? null;
  const { view } = useSheetScene();
  const image = useLoadedPicture(url)?.image;
  const layer = useCallback(
    ({ context, at }: Pen) => {
      if (!image) return;
      const [left, top] = at([0, 1]);
      const [right, bottom] = at([1, 0]);
      context.imageSmoothingEnabled = right - left < image.width;
      context.drawImage(image, left, top, right - left, bottom - top);
    },
    [image],
  );
  useSheetLayer(view && image ? layer : null);
  return null;
}
