// Which picture the sheet stage shows: what follows the hand, else the bake that runs as far as it has landed, else the run that is
// looked at.
import { liveUrl, mapUrl } from "../../api/client";
import { mapKey } from "../../api/patch";
import { useProgress } from "../../api/progress";
import { useAsset, useMaps, useShownRun } from "../../api/queries";
import type { ProgressView } from "../../api/types";
import { useTwo } from "../against";
import { type DraftPicture, useView } from "../view";

export interface Shown {
  /** Maps that can be shown, by id, in the order they are listed. */
  maps: string[];
  map: string | undefined;
  /** Names of the run's sheets, and which is shown. */
  sheets: string[];
  number: number;
  url: string | null;
  /** Texels per side. */
  size: number;
  /** Follows the hand; lands as it is baked. */
  draft: DraftPicture | null;
  landing: ProgressView | null;
}

export function useShownPicture(): Shown {
  const { map, sheet, draft: lent } = useView();
  const running = useProgress((s) => s.running);
  const asset = useAsset().data;
  const run = useShownRun();
  const kinds = useMaps().data ?? [];
  const two = useTwo();
  const landing = running && running.asset === asset?.id && running.stage === "baking" ? running : null;
  const baked = Object.entries(run?.report?.maps ?? {}).flatMap(([id, m]) => (m.error ? [] : [id]));
  const available: string[] = landing ? (asset?.recipe.maps.map(mapKey) ?? []) : baked;
  const maps = kinds.flatMap(({ kind }) => available.filter((key) => key.split(":")[0] === kind.id));
  const sheets = run?.report?.sheets ?? [];
  const number = Math.min(sheet, Math.max(0, sheets.length - 1));
  const shown = maps.includes(map) ? map : maps[0];
  const draft = lent && lent.map === shown && lent.sheet === number ? lent : null;
  const proof = Math.min(asset?.recipe.sheet.size ?? 0, asset?.recipe.sheet.proof_size ?? 0);
  const landed = asset?.runs.find((r) => r.id === landing?.run)?.size;
  return {
    maps,
    map: shown,
    sheets,
    number,
    url: urlOf(),
    size: (draft ? proof : landing ? landed : two?.shows === "other" ? two.other.size : run?.size) ?? 0,
    draft,
    landing,
  };

  function urlOf(): string | null {
    if (!shown) return null;
    if (draft) return draft.url;
    if (landing) return liveUrl(landing.run, shown, number, Math.round(landing.elapsed * 8));
    if (two?.shows === "other") return two.otherUrl(shown, number);
    if (two?.shows === "difference") return two.differenceUrl(shown, number);
    return run ? mapUrl(run, shown, number) : null;
  }
}
