// How the maps of runs are looked at: a part of their range, brighter colours, a mip level in place of the full size. Where a map's picture
// lies follows from it.
import { useCallback } from "react";
import { pictureUrl } from "../api/client";
import type { ShownRun } from "../api/queries";
import type { Squares } from "./sheet/picture";
import { useView } from "./view";

/** How one map is looked at. */
export interface MapLook {
  /** What is black and what is white, in the map's unit; null as the file has it. */
  range: readonly [number, number] | null;
  /** Doublings of light, of colours. */
  stops: number;
}

export const PLAIN_LOOK: MapLook = { range: null, stops: 0 };

export interface MapPicture {
  url: string;
  /** Of a large map, whose picture at the address is a copy. */
  squares: Squares | null;
}

/** Where a map of a run lies as it is looked at; null when there is none. */
export function mapPicture(
  run: ShownRun,
  map: string,
  sheet: number,
  { range, stops }: MapLook,
  level: number,
): MapPicture | null {
  // Of runs of several sizes the smaller one has fewer.
  const mip = Math.min(level, Math.floor(Math.log2(run.size)));
  const found = run.pictures.find((p) => p.map === map && p.sheet === sheet);
  if (!found) return null;
  const query = new URLSearchParams({ sheet: String(sheet) });
  if (range) {
    query.set("from", String(range[0]));
    query.set("to", String(range[1]));
  }
  if (stops !== 0) query.set("stops", String(stops));
  const sides = found.squares ?? [];
  const squares: Squares | null =
    mip === 0 && sides.length > 0
      ? {
          sides,
          url: (level, column, row) =>
            `/api/runs/${run.id}/squares/${map}/${level}/${column}/${row}?${query}`,
        }
      : null;
  if (!range && stops === 0 && mip === 0) return { url: pictureUrl(found.hash), squares };
  const whole = new URLSearchParams(query);
  if (mip > 0) whole.set("level", String(mip));
  return { url: `/api/runs/${run.id}/look/${map}?${whole}`, squares };
}

/** Where the maps of runs lie as they are looked at now. */
export function useMapPicture() {
  const looks = useView((s) => s.looks);
  const mip = useView((s) => s.mip);
  return useCallback(
    (run: ShownRun, map: string, sheet: number) => mapPicture(run, map, sheet, looks[map] ?? PLAIN_LOOK, mip),
    [looks, mip],
  );
}
