// The mend in hand: which tool, how large and how strong, on which maps, and the stroke that is being drawn.
import { create } from "zustand";
import { useOpen } from "../../../api/open";
import { keepNow } from "../../../api/queries";
import type { Mend, MendTool } from "../../../api/types";
import { longer } from "../../../stages/model/brush-hand";
import { type Point, useView } from "../../../stages/view";

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
  before: false,
}));

export const setMend = (change: Partial<MendHand>) => useMendHand.setState(change);

/** Shows maps before or after their mends, at Review. */
export function toggleBefore() {
  if (useOpen.getState().stop === "review") useMendHand.setState((s) => ({ before: !s.before }));
}

/** The size in scene units. */
export const mendSize = (diagonal: number) => useMendHand.getState().size ?? diagonal * 0.02;

/** Maps that strokes change now. */
export const mendedMaps = (): string[] => [...(useMendHand.getState().maps ?? [useView.getState().map])];

/** Begins a stroke; of Clone without a source the press chooses one. */
export function beginMend(point: Point, pressure: number, diagonal: number) {
  const { tool, strength, value, color, from } = useMendHand.getState();
  if (tool === null) return;
  if (tool === "clone" && from === null) return setMend({ from: point });
  keepNow();
  const stroke: Mend = {
    tool,
    maps: mendedMaps(),
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
