// Seams, pins and chosen islands on the model, and what clicks do on both stages while a hand is at the UVs.
import { useCallback, useEffect } from "react";
import * as THREE from "three";
import { type Held, useStageClick } from "../../../stages/clicks";
import type { Hover } from "../../../stages/hover";
import type { MeshData } from "../../../stages/mesh-data";
import { edgesOf, linesOf } from "../../../stages/model/lines";
import { type Scene, useDrawn } from "../../../stages/model/scene";
import { useDisplay } from "../../../stages/use-display";
import { show } from "../../../stages/view";
import { seamLines } from "../layout/looks";
import { useMeshes } from "../state";
import { useAtUvs, useUvEdit, useUvState } from "./edit";
import { cornerAt, endsOf, islandsOf, sideAt } from "./picks";
import { setUvs, useUvs } from "./state";

const EDGE = new THREE.Vector4(0.08, 0.05, 0.04, 0.28);
const CUT = new THREE.Vector4(0.08, 0.05, 0.04, 0.95);
const CHOSEN = new THREE.Vector4(1, 0.45, 0.14, 1);
const MARKED = new THREE.Vector4(0.93, 0.4, 0.16, 1);
const CLEARED = new THREE.Vector4(0.35, 0.6, 0.85, 1);
/** Half the size of a pin's cross, of the model's own size. */
const PIN = 0.008;

export function UvsOnModel() {
  const at = useUvHand();
  const { hand, chosen } = useUvs();
  // What a look at the layout shows is not lit over.
  const looked = useMeshes((s) => s.layout !== null);
  const state = useUvState().data;
  const lines = useCallback(
    ({ low }: Scene) => {
      if (!at || !low) return null;
      const { geometry } = low.mesh;
      const drawn: THREE.Object3D[] = [linesOf(geometry, seamLines(low.data), CUT, true)];
      // Edges to click at.
      if (hand !== "islands") drawn.push(linesOf(geometry, edgesOf(low.data.index), EDGE, true));
      if (looked && chosen.length > 0)
        drawn.push(linesOf(geometry, bordersOf(low.data, chosen), CHOSEN, false));
      if (state?.seams.length) drawn.push(linesOf(geometry, endsOf(state.seams), MARKED, false));
      if (state?.cleared.length) drawn.push(linesOf(geometry, endsOf(state.cleared), CLEARED, false));
      if (state?.pins.length) drawn.push(crosses(low.data.floats("position"), state.pins));
      return drawn;
    },
    [at, hand, state, looked, chosen],
  );
  useDrawn(lines);
  return null;
}

/** Pins as small crosses along the three axes. */
function crosses(position: Float32Array | null, pins: readonly number[]) {
  const ends: number[] = [];
  let size = 0;
  for (const x of position ?? []) size = Math.max(size, Math.abs(x));
  for (const pin of pins) {
    for (let axis = 0; axis < 3; axis++) {
      for (const way of [-1, 1]) {
        for (let k = 0; k < 3; k++) {
          ends.push((position?.[pin * 3 + k] ?? 0) + (k === axis ? way * PIN * size : 0));
        }
      }
    }
  }
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.Float32BufferAttribute(ends, 3));
  const material = new THREE.LineBasicMaterial({ color: 0xf2702a, depthTest: false, transparent: true });
  return new THREE.LineSegments(geometry, material);
}

/** The hand in use, with what its clicks do. */
function useUvHand() {
  const at = useAtUvs();
  const { hand, chosen } = useUvs();
  const looked = useMeshes((s) => s.layout !== null);
  const low = useDisplay("low").data;
  const state = useUvState().data;
  const edit = useUvEdit();
  const act = useCallback(
    ({ triangle, point }: Hover, { shiftKey, altKey }: Held) => {
      if (!low || triangle === null || !point) return;
      if (hand === "islands") {
        const own = islandsOf(low, [triangle]);
        const had = chosen.filter((t) => own.includes(t));
        setUvs({
          chosen:
            had.length > 0 ? chosen.filter((t) => !had.includes(t)) : [...(shiftKey ? chosen : []), triangle],
        });
        return;
      }
      const corner = cornerAt(low, triangle, point);
      if (corner === null) return;
      if (hand === "pins") {
        const release = (state?.pins ?? []).some((pin) => samePlace(low.floats("position"), pin, corner));
        return void edit({ edit: "pin", corners: [corner], release });
      }
      const { from, sharpest } = useUvs.getState();
      setUvs({ from: corner });
      if (hand === "rows") {
        if (shiftKey && from !== null) void edit({ edit: "straighten", from, to: corner });
        return;
      }
      if (shiftKey && from !== null) {
        return void edit({ edit: "seam-path", from, to: corner, sharpest, clear: false });
      }
      const side = sideAt(low, triangle, point);
      if (side === null) return;
      if (altKey) return void edit({ edit: "stitch", side });
      void edit({
        edit: "seams",
        sides: [side],
        clear: isCut(low, state?.seams ?? [], state?.cleared ?? [], side),
      });
    },
    [low, hand, chosen, state, edit],
  );
  useStageClick(at ? act : null);
  useEffect(() => {
    if (!at || !low || looked || chosen.length === 0) return;
    show({ lit: islandsOf(low, chosen) });
    return () => show({ lit: null });
  }, [at, low, looked, chosen]);
  return at;
}

/** Borders of the islands of some triangles. */
function bordersOf(low: MeshData, chosen: readonly number[]) {
  const own = new Set(islandsOf(low, chosen));
  return seamLines(low).filter((corner) => own.has(Math.floor(corner / 3)));
}

type Position = Float32Array | null;

const samePlace = (position: Position, a: number, b: number) =>
  [0, 1, 2].every((k) => position?.[a * 3 + k] === position?.[b * 3 + k]);

/** Whether an edge is to be cut as things stand: marked, or a seam of the UVs that is not cleared. */
function isCut(
  low: Parameters<typeof seamLines>[0],
  marked: readonly number[],
  cleared: readonly number[],
  side: number,
) {
  const position = low.floats("position");
  const [a = 0, b = 0] = endsOf([side]);
  const same = (ends: Uint32Array) => {
    for (let i = 0; i + 1 < ends.length; i += 2) {
      const [c = 0, d = 0] = [ends[i], ends[i + 1]];
      if (samePlace(position, a, c) && samePlace(position, b, d)) return true;
      if (samePlace(position, a, d) && samePlace(position, b, c)) return true;
    }
    return false;
  };
  return same(endsOf(marked)) || (same(seamLines(low)) && !same(endsOf(cleared)));
}
