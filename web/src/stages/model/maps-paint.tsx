// The maps of the run that is looked at, on the low-poly: one texture per sheet.
import { useEffect, useMemo } from "react";
import type * as THREE from "three";
import { heatUrl, liveUrl } from "../../api/client";
import { type ShownRun, useAsset, useShownRun } from "../../api/queries";
import { useTwo } from "../against";
import { useLanding } from "../landing";
import { mapPicture, PLAIN_LOOK, useMapPicture } from "../looks";
import { useSheets } from "../sheets";
import { insteadOf, useView } from "../view";
import { MATERIAL_MAPS } from "./material";
import type { Paint } from "./paint";
import { usePaint, useScene } from "./scene";
import { MOST_SHEETS } from "./shaders";
import { useTextures } from "./textures";

/** Looks at a bake while it lands: every one sends and draws all pictures anew. */
const LOOKS = 32;

interface Landing {
  run: number;
  /** Counts up as more lands. */
  tick: number;
  maps: readonly string[];
}

function useLandingMaps(): Landing | null {
  const run = useLanding((now) => now.run);
  const tick = useLanding((now) => Math.floor(now.share * LOOKS)) ?? 0;
  const maps = useLanding((now) => now.maps.map((m) => m.map).join("\n")) ?? "";
  return useMemo(() => (run === null ? null : { run, tick, maps: maps.split("\n") }), [run, tick, maps]);
}

export function MapsPaint() {
  const map = useView((s) => s.map);
  const draft = useView((s) => s.draft);
  const wanted = useView((s) => s.material);
  const instead = useView((s) => s.instead);
  const run = useShownRun();
  const landing = useLandingMaps();
  const two = useTwo();
  const pictureOf = useMapPicture();
  const strength = useView((s) => s.strength);
  const asset = useAsset().data;
  const scene = useScene();
  const low = scene?.low?.data;
  const report = run?.report;
  const there = (id: string) => Boolean(landing?.maps.includes(id) || report?.maps[id]);
  const shown = [map, "normal"].find(there) ?? null;
  // Addresses by the number of the sheet.
  const sheetUrls = (url: (map: string, sheet: number) => string | null | undefined) =>
    Object.fromEntries(
      Array.from({ length: Math.min(MOST_SHEETS, report?.sheets.length ?? 1) }, (_, i) => i).flatMap((i) => {
        const at = shown && url(shown, i);
        return at ? [[String(i), at]] : [];
      }),
    );
  // The sheet that a draft shows follows it; others stay as they were baked.
  const own = (of: string, i: number) => {
    if (draft?.map === of && draft.sheet === i) return draft.url;
    if (landing?.maps.includes(of)) return liveUrl(landing.run, of, i, landing.tick);
    return run && (instead[insteadOf(run.id, of, i)] ?? pictureOf(run, of, i)?.url);
  };
  const heat = useView((s) => s.heat);
  const compares = heat ? "difference" : (two?.shows ?? "this");
  // Beside each other, this run stands left.
  const how = compares === "wipe" || compares === "beside" ? compares : null;
  const shows = compares === "wipe" || compares === "beside" ? "this" : compares;
  const lit = wanted && shown === "normal";
  const far = (of: string, i: number) =>
    heat ? run && heatUrl(run.id, heat.of, heat.most, i) : (two?.differenceUrl(of, i) ?? null);
  // Pictures of both runs are held, so that switching between them is immediate.
  const pictures = {
    this: useTextures(sheetUrls(own)),
    other: useTextures(two ? sheetUrls(two.otherUrl) : {}),
    difference: useTextures(shows === "difference" ? sheetUrls(far) : {}),
  };
  const materials = {
    this: useTextures(useMaterialUrls(run, lit, landing, instead)),
    other: useTextures(useMaterialUrls(two?.other ?? null, lit)),
    difference: NONE,
  };
  const sheets = useSheets(low);
  const normal = shown === "normal" && shows !== "difference";
  const greenOf = (of: ShownRun | null | undefined) => {
    const recipe = landing ? asset?.recipe : of?.report?.recipe;
    const settings = recipe?.maps.find((m) => m.map === "normal");
    return settings?.map === "normal" && settings.y === "-" ? -1 : 1;
  };
  const green = { this: greenOf(run), other: greenOf(two?.other), difference: 1 } as const;
  const paintOf = (of: "this" | "other" | "difference"): Paint =>
    materials[of]["base-color"]
      ? {
          kind: "material",
          textures: materials[of],
          sky: "morning",
          exposure: 0,
          plain: false,
          strength,
          green: green[of],
        }
      : { kind: "maps", textures: Object.values(pictures[of]), sheets, normal, green: green[of], strength };
  // biome-ignore lint/correctness/useExhaustiveDependencies: a paint follows from these
  const paint = useMemo(
    () => paintOf(shows),
    [shows, materials[shows], pictures[shows], sheets, normal, green[shows], strength],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: a paint follows from these
  const right = useMemo(
    () => paintOf("other"),
    [materials.other, pictures.other, sheets, normal, green.other, strength],
  );
  useEffect(() => scene?.viewer.setMaps(paint), [scene, paint]);
  const beside = useMemo(() => how && { how, left: paint, right }, [how, paint, right]);
  usePaint(beside && paint, beside);
  return null;
}

const NONE: Readonly<Record<string, THREE.Texture>> = {};

/** Addresses of the maps that a run's material is made of: of runs of one sheet that show a finish. Those of a bake that lands go first. */
export function useMaterialUrls(
  run: ShownRun | null,
  wanted: boolean,
  landing: Landing | null = null,
  instead: Readonly<Record<string, string>> = {},
): Record<string, string> {
  const mip = useView((s) => s.mip);
  if (!wanted || (run?.report?.sheets.length ?? 1) > 1) return {};
  const maps = run?.report?.maps;
  const url = (map: string) => {
    if (landing?.maps.includes(map)) return liveUrl(landing.run, map, 0, landing.tick);
    return run && maps?.[map]
      ? (instead[insteadOf(run.id, map, 0)] ?? mapPicture(run, map, 0, PLAIN_LOOK, mip)?.url ?? null)
      : null;
  };
  if (!url("base-color")) return {};
  return Object.fromEntries(
    Object.values(MATERIAL_MAPS).flatMap((map) => {
      const at = url(map);
      return at === null ? [] : [[map, at]];
    }),
  );
}
