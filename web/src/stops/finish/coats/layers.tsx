// The finishes on both stages: the model lit as its material, or a channel by itself on model and sheet.
import { useCallback, useEffect, useMemo, useState } from "react";
import * as THREE from "three";
import { usePaint, useScene } from "../../../stages/model/scene";
import { useSheetLayer, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen } from "../../../stages/sheet/sheet-view";
import { useLoadedImage } from "../../../stages/sheet/use-image";
import { useFinish } from "../state";
import { useFollowingMaterial, useMaterialPictures } from "./live";

/** Textures of pictures by the map they are of; the old ones stay until all of the new ones are there. */
function useTextures(): Readonly<Record<string, THREE.Texture>> {
  const pictures = useMaterialPictures();
  const scene = useScene();
  const [held, setHeld] = useState<Record<string, THREE.Texture>>({});
  useEffect(() => {
    if (!scene) return;
    let gone = false;
    const there = pictures.filter((p) => p.picture);
    const loader = new THREE.TextureLoader();
    Promise.all(there.map((p) => loader.loadAsync(p.picture ?? ""))).then(
      (textures) => {
        if (gone) {
          for (const texture of textures) texture.dispose();
          return;
        }
        for (const texture of textures) {
          texture.colorSpace = THREE.NoColorSpace;
          texture.anisotropy = scene.viewer.anisotropy;
          texture.wrapS = THREE.RepeatWrapping;
          texture.wrapT = THREE.RepeatWrapping;
        }
        setHeld(Object.fromEntries(there.map((p, i) => [p.map, textures[i] as THREE.Texture])));
      },
      () => undefined,
    );
    return () => {
      gone = true;
    };
  }, [scene, pictures]);
  useEffect(
    () => () => {
      for (const texture of Object.values(held)) texture.dispose();
    },
    [held],
  );
  return held;
}

/** Follows the recipe, and paints the model with what comes of it. */
export function MaterialOnModel({ shows }: { shows: boolean }) {
  useFollowingMaterial();
  return shows ? <Painted /> : null;
}

function Painted() {
  const show = useFinish((s) => s.finishShow);
  const sky = useFinish((s) => s.sky);
  const exposure = useFinish((s) => s.exposure);
  const plain = useFinish((s) => s.plain);
  const textures = useTextures();
  const paint = useMemo(() => {
    if (!textures["base-color"] || show === "off" || show === "place") return null;
    if (show === "material") return { kind: "material", textures, sky, exposure, plain } as const;
    const texture = textures[show];
    return texture ? ({ kind: "picture", texture } as const) : null;
  }, [textures, show, sky, exposure, plain]);
  usePaint(paint);
  return null;
}

/** The channel that shows on the sheet. */
export function MaterialOnSheet() {
  const show = useFinish((s) => s.finishShow);
  const pictures = useMaterialPictures();
  const wanted = show === "material" ? "base-color" : show;
  const url = pictures.find((p) => p.map === wanted)?.picture ?? null;
  const { view } = useSheetScene();
  const image = useLoadedImage(url);
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
