// Another run beside the one that is looked at: where both stages take its pictures from.
import { differenceUrl } from "../api/client";
import { type ShownRun, useAsset, useRun, useShownRun } from "../api/queries";
import { useMapPicture } from "./looks";
import { type Against, useView } from "./view";

export interface Two {
  other: ShownRun;
  shows: Against["shows"];
  /** The address of a map of the other run, and of how far the two are apart; null where there is none. */
  otherUrl: (map: string, sheet: number) => string | null;
  differenceUrl: (map: string, sheet: number) => string | null;
}

/** Null while no other run is held against the one that is looked at. */
export function useTwo(): Two | null {
  const against = useView((s) => s.against);
  const runs = useAsset().data?.runs;
  const run = useShownRun();
  const other = useRun(against?.run ?? null);
  const pictureOf = useMapPicture();
  // One of another asset, or that was deleted, is held against nothing.
  const there = runs?.some((r) => r.id === against?.run) ?? false;
  if (!against || !there || !run || !other || other.id === run.id) return null;
  return {
    other,
    shows: against.shows,
    otherUrl: (map, sheet) => pictureOf(other, map, sheet)?.url ?? null,
    differenceUrl: (map, sheet) => {
      const most = against.most[map];
      return most === undefined ? null : differenceUrl(run.id, other.id, map, most, sheet);
    },
  };
}
