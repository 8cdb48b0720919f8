// What hands do at the UVs, and what they have chosen.
import { create } from "zustand";

/** What a click on either stage does. */
export type UvHand = "seams" | "islands" | "pins" | "rows";

interface Uvs {
  hand: UvHand | null;
  /** Triangles whose islands are chosen; of another layout they are let go of. */
  chosen: readonly number[];
  /** The corner that a way goes on from. */
  from: number | null;
  /** Moves of islands take only what lies nearer than this, scene units along the surface; null takes islands whole. */
  within: number | null;
  /** Ways of seams keep to sharp edges. */
  sharpest: boolean;
  busy: boolean;
}

const START: Uvs = { hand: null, chosen: [], from: null, within: null, sharpest: false, busy: false };

export const useUvs = create<Uvs>()(() => START);
export const setUvs = (change: Partial<Uvs>) => useUvs.setState(change);
export const putDown = () => useUvs.setState({ hand: null, chosen: [], from: null });
