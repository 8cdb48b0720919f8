// The maps of the run that is looked at, on the low-poly: one texture per sheet.
import { useEffect, useMemo } from "react";
import { mapUrl } from "../../api/client";
import { type ShownRun, useShownRun } from "../../api/queries";
import { useSheets } from "../sheets";
import { useView } from "../view";
import { MATERIAL_MAPS } from "./material";
import { useScene } from "./scene";
import { MOST_SHEETS } from "./shaders";
import { useTextures } from "./textures";

/** Addresses of the pictures of a map by the number of the sheet. The sheet that a draft shows follows it; others stay as they were baked. */
function useUrls(run: ShownRun | null, map: string | null): Record<string, string> {
  const draft = useView((s) => s.draft);
  if (!run || map === null) return {};
  const count = Math.min(MOST_SHEETS, run.report?.sheets.length ?? 1);
  const urls = Array.from({ length: count }, (_, i) =>
    draft?.map === map && draft.sheet === i ? draft.url : mapUrl(run, map, i),
  );
  return Object.fromEntries(urls.flatMap((url, i) => (url === null ? [] : [[String(i), url]])));
}

export function MapsPaint() {
  const map = useView((s) => s.map);
  const run = useShownRun();
  const scene = useScene();
  const low = scene?.low?.data;
  const report = run?.report;
  const shown = report?.maps[map] ? map : report?.maps.normal ? "normal" : null;
  const loaded = useTextures(useUrls(run, shown));
  const textures = useMemo(() => Object.values(loaded), [loaded]);
  const sheets = useSheets(low);
  const settings = report?.recipe.maps.find((m) => m.map === "normal");
  const green = settings?.map === "normal" && settings.y === "-" ? -1 : 1;
  const normal = shown === "normal";
  const lit = useView((s) => s.material) && normal;
  const material = useTextures(useMaterialUrls(run, lit));
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

/** Addresses of the maps that a run's material is made of: of runs of one sheet that show a finish. */
export function useMaterialUrls(run: ShownRun | null, wanted: boolean): Record<string, string> {
  const maps = run?.report?.maps;
  if (!run || !wanted || !maps?.["base-color"] || (run.report?.sheets.length ?? 1) > 1) return {};
  const urls = Object.values(MATERIAL_MAPS).map((map) => [map, maps[map] ? mapUrl(run, map, 0) : null]);
  return Object.fromEntries(urls.filter(([, url]) => url !== null));
}
