// The stage's own layers: wires, triangles that a finding lights, and the mark of what the other stage points at.
import { useCallback, useEffect, useRef } from "react";
import * as THREE from "three";
import { useHidden } from "../hidden";
import { hover } from "../hover";
import { indexOf } from "../mesh-data";
import { useView } from "../view";
import { edgesOf, linesOf, litSkin } from "./lines";
import { type Scene, useDrawn, useOnDraw, useScene } from "./scene";

const WIRE = new THREE.Vector4(0.09, 0.07, 0.06, 0.34);
const LIT_EDGE = new THREE.Vector4(1, 0.55, 0.25, 0.9);

export function Wires() {
  const on = useView((s) => s.wires);
  const hidden = useHidden().low;
  const make = useCallback(
    ({ low }: Scene) => {
      if (!on || !low) return null;
      return [linesOf(low.mesh.geometry, edgesOf(indexOf(low.data, hidden)), WIRE, true)];
    },
    [on, hidden],
  );
  useDrawn(make);
  return null;
}

/** Triangles that a finding lights, their edges through whatever lies in front. */
export function Lit() {
  const lit = useView((s) => s.lit);
  const make = useCallback(
    ({ low }: Scene) => {
      if (!low || !lit || lit.length === 0) return null;
      const skin = new THREE.Mesh(...litSkin(low.mesh.geometry, lit));
      skin.frustumCulled = false;
      const ends = lit.flatMap((t) => [t * 3, t * 3 + 1, t * 3 + 1, t * 3 + 2, t * 3 + 2, t * 3]);
      return [skin, linesOf(low.mesh.geometry, new Uint32Array(ends), LIT_EDGE, false)];
    },
    [lit],
  );
  useDrawn(make);
  return null;
}

/** Marks the place both stages point at, and follows it while the model turns. */
export function Marker() {
  const mark = useRef<HTMLDivElement>(null);
  const place = useCallback(({ viewer }: Scene) => {
    const at = hover.get();
    const spot = at?.point ? viewer.project(at.point, at.part ?? "") : null;
    if (!mark.current) return;
    mark.current.style.display = spot ? "block" : "none";
    if (spot) mark.current.style.transform = `translate(${spot[0]}px, ${spot[1]}px)`;
  }, []);
  useOnDraw(place);
  useFollowHover(place);
  return (
    <div ref={mark} className="pointer-events-none absolute top-0 left-0 hidden" aria-hidden>
      <i className="absolute size-4 -translate-1/2 rounded-full border-[1.5px] border-white shadow-[0_0_0_1px_#0008]" />
    </div>
  );
}

/** Calls when the place pointed at changes, without a drawing. */
function useFollowHover(follow: (scene: Scene) => void) {
  const scene = useScene();
  useEffect(() => (scene ? hover.listen(() => follow(scene)) : undefined), [scene, follow]);
}
