// Pictures as textures of the model: those whose address stays are kept as they are, the others are let go of once all of the new ones are
// there.
import { useEffect, useRef, useState } from "react";
import * as THREE from "three";
import { useScene } from "./scene";

interface Loaded {
  url: string;
  texture: THREE.Texture;
}

/** Textures of addresses by the names they are given; none while nothing is loaded, or where one cannot be. */
export function useTextures(urls: Readonly<Record<string, string>>): Readonly<Record<string, THREE.Texture>> {
  const scene = useScene();
  const loaded = useRef<Readonly<Record<string, Loaded>>>({});
  const [held, setHeld] = useState<Readonly<Record<string, THREE.Texture>>>(NONE);
  const key = Object.entries(urls).flat().join("\n");
  const latest = useRef(urls);
  latest.current = urls;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for the addresses
  useEffect(() => {
    if (!scene) return;
    let gone = false;
    const loader = new THREE.TextureLoader();
    const load = async ([name, url]: [string, string]): Promise<[string, Loaded]> => {
      const known = loaded.current[name];
      if (known?.url === url) return [name, known];
      const texture = await loader.loadAsync(url);
      texture.colorSpace = THREE.NoColorSpace;
      texture.anisotropy = scene.viewer.anisotropy;
      // A tile of a row of tiles repeats into the unit square.
      texture.wrapS = THREE.RepeatWrapping;
      texture.wrapT = THREE.RepeatWrapping;
      return [name, { url, texture }];
    };
    const become = (now: Readonly<Record<string, Loaded>>) => {
      loaded.current = now;
      setHeld(Object.fromEntries(Object.entries(now).map(([name, one]) => [name, one.texture])));
    };
    Promise.all(Object.entries(latest.current).map(load)).then(
      (all) => {
        if (!gone) return become(Object.fromEntries(all));
        const kept = new Set(Object.values(loaded.current).map((one) => one.texture));
        for (const [, one] of all) if (!kept.has(one.texture)) one.texture.dispose();
      },
      () => !gone && become({}),
    );
    return () => {
      gone = true;
    };
  }, [scene, key]);
  useEffect(
    () => () => {
      loaded.current = {};
    },
    [],
  );
  // Only once others are drawn: a texture that is drawn after it was let go of would be sent to the graphics card again and stay there.
  useEffect(
    () => () => {
      const kept = new Set(Object.values(loaded.current).map((one) => one.texture));
      for (const texture of Object.values(held)) if (!kept.has(texture)) texture.dispose();
    },
    [held],
  );
  return held;
}

const NONE = {};
