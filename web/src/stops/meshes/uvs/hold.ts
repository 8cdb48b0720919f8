// Islands taken hold of on the sheet: a drag moves, turns or scales them, or part of one softly. What is drawn meanwhile is where they will
// lie; at the end of the drag it becomes a step.
import { useCallback, useEffect, useMemo, useRef } from "react";
import { api } from "../../../api/client";
import { say, useAsset } from "../../../api/queries";
import type { UvOrder } from "../../../api/types";
import { type MeshData, UvFinder } from "../../../stages/mesh-data";
import { type Paths, thinned, trianglePaths } from "../../../stages/sheet/paths";
import { useSheetHand, useSheetLayer, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen, SheetHand, SheetView } from "../../../stages/sheet/sheet-view";
import { useUvEdit } from "./edit";
import { drawGrips, drawMoved, drawSoft, KNOB, NEAR } from "./grips";
import { type Box, boxOf, type Grip, gripAt, type Move, middleOf, moveOf, type Place } from "./moves";
import { islandsOf } from "./picks";
import { MOST_DRAWN, Soft } from "./soft";
import { setUvs, useUvs } from "./state";

/** Pixels that a press may move by before it is a drag. */
const STILL = 3;

interface Hold {
  low: MeshData;
  grip: Grip;
  from: Place;
  to: Place;
  /** Shift is held. */
  stepped: boolean;
  /** It was moved further than a click may. */
  begun: boolean;
  /** It was let go of, and waits for the mesh with its step. */
  settling: boolean;
  triangles: readonly number[];
  box: Box;
  paths: Paths;
  /** Radius of a soft move; what goes along comes a moment after the press. */
  within: number | null;
  soft: Soft | null;
}

const wayOf = (hold: Hold): Move => moveOf(hold.grip, hold.box, hold.from, hold.to, hold.stepped);

/** Takes hold of islands while they are what clicks select. */
export function useUvHold(at: boolean) {
  const { view, low, sheets } = useSheetScene();
  const { hand, chosen, within } = useUvs();
  const asset = useAsset().data?.id ?? null;
  const edit = useUvEdit();
  const on = at && hand === "islands" && sheets === null;
  const uv = useMemo(() => (on && low ? low.floats("uv") : null), [on, low]);
  const held = useRef<Hold | null>(null);
  const drop = useCallback(() => {
    held.current = null;
    view?.float(null);
  }, [view]);
  useEffect(() => {
    // Another mesh is there, with the step or without it.
    if (held.current && (!on || held.current.low !== low)) drop();
  }, [drop, low, on]);
  const box = useMemo(
    () => (uv && low && chosen.length > 0 ? boxOf(uv, islandsOf(low, chosen)) : null),
    [uv, low, chosen],
  );
  const sheetHand = useMemo((): SheetHand | null => {
    if (!uv || !low || !view || asset === null) return null;
    return handOn({ view, low, uv, box, chosen, within, asset, held, edit, drop });
  }, [uv, low, view, box, chosen, within, asset, edit, drop]);
  useSheetHand(sheetHand);
  useEffect(() => {
    if (!on) return;
    const onKey = (e: KeyboardEvent) => {
      if (e.key !== "Escape" || !held.current?.begun || held.current.settling) return;
      e.stopImmediatePropagation();
      drop();
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [on, drop]);
  const layer = useMemo(() => {
    if (!uv || !box || within !== null) return null;
    // While they are dragged the handles are where the islands were.
    return (pen: Pen) => {
      if (!held.current?.begun) drawGrips(pen, box);
    };
  }, [uv, box, within]);
  useSheetLayer(layer);
}

interface Of {
  view: SheetView;
  low: MeshData;
  uv: Float32Array;
  box: Box | null;
  chosen: readonly number[];
  within: number | null;
  asset: number;
  held: { current: Hold | null };
  edit: ReturnType<typeof useUvEdit>;
  drop: () => void;
}

function handOn({ view, low, uv, box, chosen, within, asset, held, edit, drop }: Of): SheetHand {
  const finder = new UvFinder(low);
  const over = (pen: Pen) => {
    const hold = held.current;
    if (hold?.soft) drawSoft(pen, hold.soft);
    else if (hold?.within === null) drawMoved(pen, hold.paths, wayOf(hold), middleOf(hold.box));
  };
  const take = (grip: Grip, at: Place, triangles: readonly number[]): boolean => {
    const own = islandsOf(low, triangles);
    const around = boxOf(uv, own);
    if (!around) return false;
    const drawn = thinned(own, MOST_DRAWN);
    const paths = trianglePaths(new Float32Array(drawn.flatMap((t) => [...uv.subarray(t * 6, t * 6 + 6)])));
    const hold: Hold = {
      ...{ low, grip, from: at, to: at, triangles, box: around, paths, within, soft: null },
      ...{ stepped: false, begun: false, settling: false },
    };
    held.current = hold;
    const [triangle] = triangles;
    if (within !== null && triangle !== undefined) {
      api.uvFalloff(asset, triangle, within).then(({ corners, weights }) => {
        hold.soft = new Soft(uv, corners, weights);
        hold.soft.move(wayOf(hold).by);
        if (hold.begun) view.float(over);
      }, say);
    }
    return true;
  };
  return {
    beside: true,
    quiet: true,
    press: (at) => {
      if (useUvs.getState().busy || held.current?.settling) return false;
      const grip = box && within === null && gripAt(box, at, NEAR / view.pixels, KNOB / view.pixels);
      if (grip) return take(grip, at, chosen);
      const triangle = finder.find(at[0], at[1])?.triangle ?? null;
      if (triangle === null) return false;
      if (within !== null) return take("body", at, [triangle]);
      const selected = islandsOf(low, chosen).includes(triangle);
      return take("body", at, selected ? chosen : [triangle]);
    },
    drag: (at, e) => {
      const hold = held.current;
      if (!hold || !at || hold.settling) return;
      hold.to = at;
      hold.stepped = e.shiftKey;
      const far = Math.hypot(at[0] - hold.from[0], at[1] - hold.from[1]) * view.pixels;
      if (!hold.begun && far <= STILL) return;
      if (!hold.begun) {
        hold.begun = true;
        setUvs({ chosen: hold.triangles });
      }
      hold.soft?.move(wayOf(hold).by);
      view.float(over);
    },
    release: () => {
      const hold = held.current;
      if (!hold?.begun) return drop();
      hold.settling = true;
      const { scale, turn, by } = wayOf(hold);
      const order: UvOrder = {
        edit: "move",
        triangles: [...hold.triangles],
        scale,
        turn,
        by,
        within: hold.within,
      };
      void edit(order).then((done) => done || drop());
    },
  };
}
