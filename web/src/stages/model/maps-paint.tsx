// The maps of the run that is looked at, on the low-poly: one texture per sheet, let go of when another comes.
import { useEffect, useMemo, useState } from "react";
import * as THREE from "three";
import { mapUrl } from "../../api/client";
import { type ShownRun, useShownRun } from "../../api/queries";
import { useSheets } from "../sheets";
import { useView } from "../view";
import { useScene } from "./scene";
import { MOST_SHEETS } from "./shaders";

/** Addresses of the pictures of a map, one per sheet. The sheet that a draft shows follows it; others stay as they were baked. */
function useUrls(run: ShownRun | null, map: string | null): string {
  const draft = useView((s) => s.draft);
  if (!run || map === null) return "";
  const count = Math.min(MOST_SHEETS, run.report?.sheets.length ?? 1);
  const urls = Array.from({ length: count }, (_, i) =>
    draft?.map === map && draft.sheet === i ? draft.url : mapUrl(run, map, i),
  );
  return urls.filter((url) => url !== null).join(" ");
}

/** Textures of addresses that stand apart by spaces. Old ones stay until the new ones are there. */
function useTextures(urls: string): THREE.Texture[] {
  const scene = useScene();
  const [held, setHeld] = useState<THREE.Texture[]>([]);
  useEffect(() => {
    if (!scene) return;
    let gone = false;
    const loader = new THREE.TextureLoader();
    Promise.all(urls === "" ? [] : urls.split(" ").map((url) => loader.loadAsync(url))).then(
      (textures) => {
        if (gone) {
          for (const texture of textures) texture.dispose();
          return;
        }
        for (const texture of textures) {
          texture.colorSpace = THREE.NoColorSpace;
          texture.anisotropy = scene.viewer.anisotropy;
          // A tile of a row of tiles repeats into the unit square.
          texture.wrapS = THREE.RepeatWrapping;
          texture.wrapT = THREE.RepeatWrapping;
        }
        setHeld(textures);
      },
      () => !gone && setHeld([]),
    );
    return () => {
      gone = true;
    };
  }, [scene, urls]);
  useEffect(
    () => () => {
      for (const texture of held) texture.dispose();
    },
    [held],
  );
  return held;
}

export function MapsPaint() {
  const map = useView((s) => s.map);
  const run = useShownRun();
  const scene = useScene();
  const low = scene?.low?.data;
  const report = run?.report;
  const shown = report?.maps[map] ? map : report?.maps.normal ? "normal" : null;
  const textures = useTextures(useUrls(run, shown));
  const sheets = useSheets(low);
  const settings = report?.recipe.maps.find((m) => m.map === "normal");
  const green = settings?.map === "normal" && settings.y === "-" ? -1 : 1;
  const normal = shown === "normal";
  const paint = useMemo(
    () => ({ kind: "maps", textures, sheets, normal, green }) as const,
    [textures, sheets, normal, green],
  );
  useEffect(() => scene?.viewer.setMaps(paint), [scene, paint]);
  return null;
}
