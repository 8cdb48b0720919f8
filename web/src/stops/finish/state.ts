// What the Finish stop knows: which mask is open, how it shows, what the hand does on the stages, and the brush.
import { create } from "zustand";
import type { Axis, MaskBrush, PickedExample, Proposals, RegionBy } from "../../api/types";
import type { SkyName } from "../../stages/model/material";
import type { MaskLook } from "../../stages/model/paint";

/** What a click or a drag on the stages does: move the ends of a range, give examples, pick regions, paint. */
export type Hand = "range" | "examples" | "pick" | "paint";

export type MaskShow = Exclude<MaskLook, "hatched"> | "off";

/** What of the stop is open: finishes and their coats, or masks. */
export type Tab = "finishes" | "masks";

/** How finishes show on the stages: lit, a channel by itself, the place of the open coat, or the baked maps. */
export type FinishShow =
  | "material"
  | "base-color"
  | "roughness"
  | "metallic"
  | "emission"
  | "opacity"
  | "place"
  | "off";

/** How the baked maps stand beside the finish as it is worked out now. */
export type Compare = "off" | "wipe" | "beside";

interface Finish {
  tab: Tab;
  /** The finish that is open, by name; null opens the first. */
  finish: string | null;
  /** The coat of it that is open; null opens the topmost. */
  coat: string | null;
  finishShow: FinishShow;
  compare: Compare;
  sky: SkyName;
  /** Stops. */
  exposure: number;
  /** Bright light is cut off, not eased. */
  plain: boolean;
  /** The mask that is open, by name; null opens the first. */
  mask: string | null;
  /** The term that hands on the stages change, counted from 0. */
  term: number;
  show: MaskShow;
  hand: Hand | null;
  examples: readonly PickedExample[];
  proposals: Proposals | null;
  /** Proposals are being worked out. */
  asking: boolean;
  brush: MaskBrush;
  /** Scene units; null takes a share of the asset. */
  brushSize: number | null;
  brushStrength: number;
  brushMirror: Axis | null;
  /** What regions are told apart by where nothing says otherwise. */
  by: RegionBy;
  /** The mask is shown as it was before the last change. */
  before: boolean;
}

export const useFinish = create<Finish>()(() => ({
  tab: "finishes",
  finish: null,
  coat: null,
  finishShow: "material",
  compare: "off",
  sky: "morning",
  exposure: 0,
  plain: false,
  mask: null,
  term: 0,
  show: "grey",
  hand: null,
  examples: [],
  proposals: null,
  asking: false,
  brush: "add",
  brushSize: null,
  brushStrength: 1,
  brushMirror: null,
  by: "part",
  before: false,
}));

export const setFinish = (change: Partial<Finish>) => useFinish.setState(change);

/** Opens a finish, or a coat of it; what the hand held is put down. */
export const openCoat = (finish: string | null, coat: string | null = null) =>
  setFinish({ tab: "finishes", finish, coat, term: 0, hand: null, examples: [], proposals: null });

/** Opens a mask; what the hand held is put down. */
export const openMask = (mask: string | null) =>
  setFinish({ tab: "masks", mask, term: 0, hand: null, examples: [], proposals: null });
