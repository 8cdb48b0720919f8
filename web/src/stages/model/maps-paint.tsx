// The maps of the run that is looked at, on the low-poly: one texture per sheet.
import { useEffect, useMemo } from "react";
import { liveUrl, mapUrl } from "../../api/client";
import { useProgress } from "../../api/progress";
import { type ShownRun, useAsset, useShownRun } from "../../api/queries";
import { useTwo } from "../against";
import { useSheets } from "../sheets";
import { useView } from "../view";
import { MATERIAL_MAPS } from "./material";
import { useScene } from "./scene";
import { MOST_SHEETS } from "./shaders";
import { useTextures } from "./textures";

/** Addresses of the pictures of a map by the number of the sheet. The sheet that a draft shows follows it; others stay as they were baked. */
function useUrls(run: ShownRun | null, map: string | null): Record<string, string> {
  const draft = useView((s) => s.draft);
  const landing = useLanding();
  if (map === null || (!run && !landing)) return {};
  const count = Math.min(MOST_SHEETS, run?.report?.sheets.length ?? 1);
  const baked = (i: number) => {
    if (landing?.maps.includes(map)) return liveUrl(landing.run, map, i, landing.tick);
    return run && mapUrl(run, map, i);
  };
  const urls = Array.from({ length: count }, (_, i) =>
    draft?.map === map && draft.sheet === i ? draft.url : baked(i),
  );
  return Object.fromEntries(urls.flatMap((url, i) => (url === null ? [] : [[String(i), url]])));
}

const LOOKS = 32;

interface Landing {
  run: number;
  /** Counts up as more lands. */
  tick: number;
  maps: readonly string[];
}

/** The bake of the asset on screen while its tiles land. Every look sends and draws all pictures anew, so there are a few of each bake. */
function useLanding(): Landing | null {
  const asset = useAsset().data;
  const run = useProgress(({ running }) =>
    running?.asset === asset?.id && running?.stage === "baking" ? running.run : null,
  );
  const tick = useProgress(({ running }) => Math.floor((running?.share ?? 0) * LOOKS));
  const maps = useProgress(({ running }) => running?.maps.map((m) => m.map).join("\n") ?? "");
  return useMemo(() => (run === null ? null : { run, tick, maps: maps.split("\n") }), [run, tick, maps]);
}

export function MapsPaint() {
  const map = useView((s) => s.map);
  const run = useShownRun();
  const landing = useLanding();
  const asset = useAsset().data;
  const scene = useScene();
  const low = scene?.low?.data;
  const report = run?.report;
  const there = (id: string) => Boolean(landing?.maps.includes(id) || report?.maps[id]);
  const shown = [map, "normal"].find(there) ?? null;
  const loaded = useTextures(useUrls(run, shown));
  // Pictures of both runs are held, so that switching between them is immediate.
  const two = useTwo();
  const numbers = Array.from({ length: Math.min(MOST_SHEETS, report?.sheets.length ?? 1) }, (_, i) => i);
  const urlsBy = (url: (map: string, sheet: number) => string | null) =>
    Object.fromEntries(
      numbers.flatMap((i) => {
        const at = shown && url(shown, i);
        return at ? [[String(i), at]] : [];
      }),
    );
  const others = useTextures(two ? urlsBy(two.otherUrl) : {});
  const differences = useTextures(two ? urlsBy(two.differenceUrl) : {});
  const shows = two?.shows ?? "this";
  const looked = shows === "other" ? others : shows === "difference" ? differences : loaded;
  const textures = useMemo(() => Object.values(looked), [looked]);
  const sheets = useSheets(low);
  const recipe = landing ? asset?.recipe : shows === "other" ? two?.other.report?.recipe : report?.recipe;
  const settings = recipe?.maps.find((m) => m.map === "normal");
  const green = settings?.map === "normal" && settings.y === "-" ? -1 : 1;
  const normal = shown === "normal" && shows !== "difference";
  const lit = useView((s) => s.material) && normal && two === null;
  const material = useTextures(useMaterialUrls(run, lit, landing));
  const paint = useMemo(
    () =>
      material["base-color"]
        ? ({ kind: "material", textures: material, sky: "morning", exposure: 0, plain: false } as const)
        : ({ kind: "maps", textures, sheets, normal, green } as const),
    [material, textures, sheets, normal, green],
  );
  useEffect(() => scene?.viewer.setMaps(paint), [scene, paint]);
  return null;
}

/** Addresses of the maps that a run's material is made of: of runs of one sheet that show a finish. Those of a bake that lands go first. */
export function useMaterialUrls(
  run: ShownRun | null,
  wanted: boolean,
  landing: Landing | null = null,
): Record<string, string> {
  if (!wanted || (run?.report?.sheets.length ?? 1) > 1) return {};
  const maps = run?.report?.maps;
  const url = (map: string) => {
    if (landing?.maps.includes(map)) return liveUrl(landing.run, map, 0, landing.tick);
    return run && maps?.[map] ? mapUrl(run, map, 0) : null;
  };
  if (!url("base-color")) return {};
  return Object.fromEntries(
    Object.values(MATERIAL_MAPS).flatMap((map) => {
      const at = url(map);
      return at === null ? [] : [[map, at]];
    }),
  );
}
