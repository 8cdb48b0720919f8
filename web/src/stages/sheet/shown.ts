// Which picture the sheet stage shows: what follows the hand, else the bake that runs as far as it has landed, else the run that is
// looked at.
import { heatUrl, liveUrl } from "../../api/client";
import { useAsset, useMaps, useShownRun } from "../../api/queries";
import type { ProgressView } from "../../api/types";
import { useTwo } from "../against";
import { useLanding } from "../landing";
import { type MapPicture, useMapPicture } from "../looks";
import { type DraftPicture, insteadOf, useView } from "../view";
import type { Squares } from "./picture";

export interface Shown {
  /** Maps that can be shown, by id, in the order they are listed. */
  maps: string[];
  map: string | undefined;
  /** Names of the run's sheets, and which is shown. */
  sheets: string[];
  number: number;
  url: string | null;
  squares: Squares | null;
  /** Another picture beside it: wiped over it, or next to it. */
  other: (MapPicture & { how: "wipe" | "beside" }) | null;
  /** A picture that may be asked for next. */
  ahead: MapPicture | null;
  /** Colours stand for how far something is off. */
  heat: boolean;
  /** Texels per side. */
  size: number;
  /** Follows the hand; lands as it is baked. */
  draft: DraftPicture | null;
  landing: ProgressView | null;
}

export function useShownPicture(): Shown {
  const { map, sheet, draft: lent, instead, heat, mip } = useView();
  const asset = useAsset().data;
  const run = useShownRun();
  const kinds = useMaps().data ?? [];
  const two = useTwo();
  const pictureOf = useMapPicture();
  const landing = useLanding((now) => now);
  const baked = Object.entries(run?.report?.maps ?? {}).flatMap(([id, m]) => (m.error ? [] : [id]));
  const available: string[] = landing ? landing.maps.map((m) => m.map) : baked;
  const maps = kinds.flatMap(({ kind }) => available.filter((key) => key.split(":")[0] === kind.id));
  const sheets = run?.report?.sheets ?? [];
  const number = Math.min(sheet, Math.max(0, sheets.length - 1));
  const shown = maps.includes(map) ? map : maps[0];
  const draft = lent && lent.map === shown && lent.sheet === number ? lent : null;
  const proof = Math.min(asset?.recipe.sheet.size ?? 0, asset?.recipe.sheet.proof_size ?? 0);
  const landed = asset?.runs.find((r) => r.id === landing?.run)?.size;
  const own = ownOf();
  return {
    maps,
    map: shown,
    sheets,
    number,
    url: own?.url ?? null,
    squares: own?.squares ?? null,
    other: otherOf(),
    ahead: two && shown && run ? pictureOf(two.shows === "other" ? run : two.other, shown, number) : null,
    heat: heat !== null || (two?.shows === "difference" && !landing),
    size:
      (draft ? proof : landing ? landed : ((two?.shows === "other" ? two.other : run)?.size ?? 0) >> mip) ??
      0,
    draft,
    landing,
  };

  function otherOf(): Shown["other"] {
    if (!two || !shown || landing || draft || heat) return null;
    if (two.shows !== "wipe" && two.shows !== "beside") return null;
    const picture = pictureOf(two.other, shown, number);
    return picture && { ...picture, how: two.shows };
  }

  function ownOf(): MapPicture | null {
    const alone = (url: string | null) => (url === null ? null : { url, squares: null });
    if (!shown) return null;
    if (draft) return alone(draft.url);
    if (landing) return alone(liveUrl(landing.run, shown, number, Math.round(landing.elapsed * 8)));
    if (heat && run) return alone(heatUrl(run.id, heat.of, heat.most, number));
    if (two?.shows === "other") return pictureOf(two.other, shown, number);
    if (two?.shows === "difference") return alone(two.differenceUrl(shown, number));
    if (!run) return null;
    return alone(instead[insteadOf(run.id, shown, number)] ?? null) ?? pictureOf(run, shown, number);
  }
}
