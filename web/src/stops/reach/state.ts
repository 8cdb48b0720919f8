// What the Reach stop knows: what is drawn of rays, and the brush.
import { create } from "zustand";
import type { Axis, Brush, ReachSide } from "../../api/types";

interface ReachState {
  envelope: boolean;
  /** The inner envelope too, while Reach in is pointed at. */
  inner: boolean;
  /** How many needles are drawn at Reach, and of which low-poly part; null draws all parts'. */
  needles: number;
  needlePart: string | null;
  /** Places where the fit was limited are marked. */
  limits: boolean;
  /** The brush in hand; null turns the model. */
  brush: Brush | null;
  brushSide: ReachSide;
  /** Scene units; null takes a share of the asset. */
  brushSize: number | null;
  brushStrength: number;
  /** What "set" sets, scene units. */
  brushValue: number;
  brushMirror: Axis | null;
}

export const useReach = create<ReachState>()(() => ({
  envelope: false,
  inner: false,
  needles: 0,
  needlePart: null,
  limits: false,
  brush: null,
  brushSide: "out",
  brushSize: null,
  brushStrength: 1,
  brushValue: 0.05,
  brushMirror: null,
}));

export const setReach = (change: Partial<ReachState>) => useReach.setState(change);

/** Needles that are drawn when they are first asked for. */
const FIRST_NEEDLES = 1500;

export const toggleNeedles = () => useReach.setState((s) => ({ needles: s.needles > 0 ? 0 : FIRST_NEEDLES }));
