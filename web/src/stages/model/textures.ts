// Pictures as textures of the model, let go of when others come. The old ones stay until all of the new ones are there.
import { useEffect, useState } from "react";
import * as THREE from "three";
import { useScene } from "./scene";

/** Textures of addresses by the names they are given; none while nothing is loaded, or where one cannot be. */
export function useTextures(urls: Readonly<Record<string, string>>): Readonly<Record<string, THREE.Texture>> {
  const scene = useScene();
  const [held, setHeld] = useState<Readonly<Record<string, THREE.Texture>>>(NONE);
  const key = JSON.stringify(urls);
  useEffect(() => {
    if (!scene) return;
    let gone = false;
    const wanted = Object.entries(JSON.parse(key) as Record<string, string>);
    const loader = new THREE.TextureLoader();
    Promise.all(wanted.map(([, url]) => loader.loadAsync(url))).then(
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
        setHeld(Object.fromEntries(wanted.map(([name], i) => [name, textures[i] as THREE.Texture])));
      },
      () => !gone && setHeld(NONE),
    );
    return () => {
      gone = true;
    };
  }, [scene, key]);
  useEffect(
    () => () => {
      for (const texture of Object.values(held)) texture.dispose();
    },
    [held],
  );
  return held;
}

const NONE = {};
