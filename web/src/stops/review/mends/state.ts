// The mend in hand: which tool, how large and how strong, on which maps, and the stroke that is being drawn.
import { create } from "zustand";
import { useOpen } from "../../../api/open";
import { keepNow } from "../../../api/queries";
import type { Mend, MendTool } from "../../../api/types";
import { longer } from "../../../stages/model/brush-hand";
import type { Point } from "../../../stages/view";

interface MendHand {
  tool: MendTool | null;
  /** Scene units; null is a fiftieth of the asset. */
  size: number | null;
  strength: number;
  /** What Set sets numbers and colours to. */
  value: number;
  color: string;
  /** Maps by key; null is the one on screen. */
  maps: ReadonlySet<string> | null;
  /** Where Clone takes from. */
  from: Point | null;
  stroke: Mend | null;
  /** Strokes that have ended and are not in the recipe yet, in their order. */
  pending: readonly Mend[];
  /** The run is shown as it is without mends. */
  before: boolean;
}

export const useMendHand = create<MendHand>()(() => ({
  tool: null,
  size: null,
  strength: 1,
  value: 0,
  color: "#808080",
  maps: null,
  from: null,
  stroke: null,
  pending: [],
  before: false,
}));

export const setMend = (change: Partial<MendHand>) => useMendHand.setState(change);

/** Shows maps before or after their mends, at Review. */
export function toggleBefore() {
  if (useOpen.getState().stop === "review") useMendHand.setState((s) => ({ before: !s.before }));
}

/** The size in scene units. */
export const mendSize = (diagonal: number) => useMendHand.getState().size ?? diagonal * 0.02;

/** Begins a stroke, on the map on screen unless others are chosen; of Clone without a source the press chooses one. */
export function beginMend(point: Point, pressure: number, diagonal: number, shown: string | undefined) {
  const { tool, strength, value, color, from, maps } = useMendHand.getState();
  if (tool === null || (maps === null && shown === undefined)) return;
  if (tool === "clone" && from === null) return setMend({ from: point });
  keepNow();
  const stroke: Mend = {
    tool,
    maps: maps ? [...maps] : [shown ?? ""],
    size: mendSize(diagonal),
    strength,
    path: [[...point, pressure]],
    ...(tool === "set" ? { value, color } : {}),
    ...(tool === "clone" ? { from } : {}),
  };
  setMend({ stroke, before: false });
}

export function goOnMending(point: Point, pressure: number) {
  const { stroke } = useMendHand.getState();
  if (!stroke) return;
  const path = longer(stroke.path, stroke.size, point, pressure);
  if (path !== stroke.path) setMend({ stroke: { ...stroke, path } });
}

/** Ends the stroke in hand: it waits to be kept. None where none was begun. */
export function endMend(): Mend | null {
  const { stroke, pending } = useMendHand.getState();
  if (stroke) setMend({ stroke: null, pending: [...pending, stroke] });
  return stroke;
}

/** A stroke is in the recipe, or came to nothing. */
export const settleMend = (stroke: Mend) =>
  useMendHand.setState(({ pending }) => ({ pending: pending.filter((one) => one !== stroke) }));
