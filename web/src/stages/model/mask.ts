// A picture over the UVs that shows where it is white: where rays are plumb, a mask.
import { useEffect, useState } from "react";
import * as THREE from "three";
import type { MaskLook } from "./paint";
import { useScene } from "./scene";

/** Shows a picture by its address as a mask over the model; null shows none. The old one stays until the new one is there. */
export function useMaskOnModel(url: string | null, look: MaskLook) {
  const scene = useScene();
  const [texture, setTexture] = useState<THREE.Texture | null>(null);
  useEffect(() => {
    if (!url) return setTexture(null);
    let gone = false;
    new THREE.TextureLoader().loadAsync(url).then(
      (loaded) => {
        if (gone) return loaded.dispose();
        loaded.colorSpace = THREE.NoColorSpace;
        setTexture(loaded);
      },
      () => !gone && setTexture(null),
    );
    return () => {
      gone = true;
    };
  }, [url]);
  useEffect(() => () => texture?.dispose(), [texture]);
  useEffect(() => {
    scene?.viewer.setMask(texture, look);
    return () => scene?.viewer.setMask(null);
  }, [scene, texture, look]);
}
