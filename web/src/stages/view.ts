// How both stages show the asset that is open: which look, which map, which parts. Stops set it; none owns it.
import { create } from "zustand";
import type { MapLook } from "./looks";

/** What the model stage shows. */
export type Look = "low" | "baked" | "sculpt" | "wipe" | "beside";
export type Stages = "model" | "both" | "sheet";
export type Channel = "all" | "r" | "g" | "b";
export type Point = [number, number, number];

/** A map of a recipe that is not kept yet, shown in place of the baked one. */
export interface DraftPicture {
  map: string;
  sheet: number;
  url: string;
  /** Milliseconds from the wish to the picture. */
  took: number;
}

/** Another run of the asset beside the one that is looked at, and what the stages show of the two. */
export interface Against {
  run: number;
  shows: "this" | "other" | "wipe" | "beside" | "difference";
  /** What the brightest of a difference stands for, by map, in the map's unit. */
  most: Readonly<Record<string, number>>;
}

interface View {
  look: Look;
  stages: Stages;
  wires: boolean;
  uvWires: boolean;
  map: string;
  /** Which sheet of a run that has several. */
  sheet: number;
  channel: Channel;
  /** A run's normal map is shown as part of its whole material, where the run has one. */
  material: boolean;
  draft: DraftPicture | null;
  /** Pictures in place of those of runs, by what `instead` says of them. */
  instead: Readonly<Record<string, string>>;
  against: Against | null;
  /** Where a run's files are off from the sculpt, in place of its maps: which truth, and what the brightest stands for. */
  heat: { of: "lit" | "displaced" | "seams"; most: number } | null;
  /** How maps are looked at, by map; a mip level in place of their full size, 0 for none. */
  looks: Readonly<Record<string, MapLook>>;
  mip: number;
  /** The sheet is repeated around itself; what lies outside its islands is hatched. */
  tiled: boolean;
  outside: boolean;
  /** Times that a normal map leans as far as it says. */
  strength: number;
  /** The low-poly subdivided and moved by its displacement map, so many times as far as it says; in colours of how far it is off. */
  displaced: {
    level: number;
    height: number;
    colors: boolean;
    /** What the brightest stands for, scene units; null for what nearly all of it is within. */
    most: number | null;
  } | null;
  /** A large run that is measured because someone asked for it. */
  measured: number | null;
  /** Parts that are left out, by name. */
  hidden: ReadonlySet<string>;
  /** Number of the pair that is shown alone. */
  solo: number | null;
  /** How far pairs are pulled apart on screen, 0 to 1. */
  apart: number;
  /** Triangles of the low-poly that a finding lights. */
  lit: readonly number[] | null;
  /** Asked of the model stage: look at this point, or at all; the number makes each wish a new one. */
  wish: { point: Point | null; turn: number };
}

/** Maps as they were baked. */
export const AS_BAKED = { looks: {}, mip: 0, tiled: false, outside: false, strength: 1, displaced: null };

export const useView = create<View>()(() => ({
  look: "baked",
  stages: "both",
  wires: false,
  uvWires: false,
  map: "normal",
  sheet: 0,
  channel: "all",
  material: true,
  draft: null,
  instead: {},
  against: null,
  heat: null,
  ...AS_BAKED,
  measured: null,
  hidden: new Set(),
  solo: null,
  apart: 0,
  lit: null,
  wish: { point: null, turn: 0 },
}));

/** Under this name a picture stands in place of a run's own. */
export const insteadOf = (run: number, map: string, sheet: number) => `${run}/${map}/${sheet}`;

/** Changes how the stages show things. */
export const show = (change: Partial<View>) => useView.setState(change);

export const togglePart = (name: string) =>
  useView.setState((s) => {
    const hidden = new Set(s.hidden);
    if (!hidden.delete(name)) hidden.add(name);
    return { hidden };
  });

/** Turns the model to a point; null shows all of it. */
export const lookAt = (point: Point | null) =>
  useView.setState((s) => ({ wish: { point, turn: s.wish.turn + 1 } }));
