// What the page itself knows: where the artist is and what is looked at. Everything about the job lives on the server.
import { create } from "zustand";
import type { Axis, Brush, ProgressView, ReachSide } from "./api/types";
import type { LayoutLook } from "./model/layout-looks";

export const STOPS = ["meshes", "pairs", "reach", "maps", "bake", "review", "masks", "deliver"] as const;
export type Stop = (typeof STOPS)[number];

export const STOP_LABELS: Record<Stop, string> = {
  meshes: "Meshes",
  pairs: "Pairs",
  reach: "Reach",
  maps: "Maps",
  bake: "Bake",
  review: "Review",
  masks: "Masks",
  deliver: "Deliver",
};

export type Theme = "day" | "night";
/** What the model stage shows. */
export type Look = "low" | "baked" | "sculpt" | "wipe" | "beside";
export type Stages = "model" | "both" | "sheet";
export type Channel = "all" | "r" | "g" | "b";

/** A place both stages point at: from the model or from the sheet. */
export interface Hover {
  from: "model" | "sheet";
  /** On the sheet of this number, 0..1 from its lower left corner. */
  uv: [number, number];
  sheet: number;
  point: [number, number, number] | null;
  part: string | null;
  /** Triangle of the low-poly, when one is pointed at. */
  triangle: number | null;
}

interface State {
  asset: number | null;
  stop: Stop;
  theme: Theme;
  look: Look;
  stages: Stages;
  /** Share of the width that the model stage takes. */
  split: number;
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
  /** The texel whose story is told. */
  traced: { run: number; sheet: number; x: number; y: number } | null;
  /** Which of its rays. */
  tracedRay: number;
  wires: boolean;
  uvWires: boolean;
  map: string;
  /** Which sheet of a run that has several. */
  sheet: number;
  channel: Channel;
  /** The run that is looked at; null follows the newest finished one. */
  run: number | null;
  hidden: ReadonlySet<string>;
  /** How the layout is looked at, in place of maps; null shows maps. */
  layout: LayoutLook | null;
  /** Texels per scene unit that are aimed at; null takes the median. */
  target: number | null;
  /** How far pairs are pulled apart on screen, 0 to 1. */
  apart: number;
  badges: boolean;
  /** Number of the pair that is shown alone. */
  solo: number | null;
  /** Triangles of the low-poly that a finding lights. */
  lit: readonly number[] | null;
  /** What is being done with files that were sent, by name. */
  intake: Readonly<Record<string, string>>;
  hover: Hover | null;
  /** Asked of the model stage: look at this point; the number makes each wish a new one. */
  wish: { point: [number, number, number] | null; turn: number };
  progress: ProgressView | null;
  /** Why the server took an edit back; shown once. */
  refused: string | null;
  follow: boolean;
  commandOpen: boolean;
  keysOpen: boolean;
  set: (change: Partial<State>) => void;
  togglePart: (name: string) => void;
  lookAt: (point: [number, number, number] | null) => void;
}

const THEME_KEY = "ember-ridge-theme";

function firstTheme(): Theme {
  const kept = localStorage.getItem(THEME_KEY);
  if (kept === "day" || kept === "night") return kept;
  return matchMedia("(prefers-color-scheme: dark)").matches ? "night" : "day";
}

function firstStop(): Stop {
  const named = location.hash.slice(1);
  return STOPS.find((s) => s === named) ?? "review";
}

export const useStore = create<State>()((set) => ({
  asset: null,
  stop: firstStop(),
  theme: firstTheme(),
  look: "baked",
  stages: "both",
  split: 0.5,
  envelope: firstStop() === "reach",
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
  traced: null,
  tracedRay: 0,
  wires: false,
  uvWires: false,
  map: "normal",
  sheet: 0,
  channel: "all",
  run: null,
  hidden: new Set(),
  layout: null,
  target: null,
  apart: 0,
  badges: false,
  solo: null,
  lit: null,
  intake: {},
  hover: null,
  wish: { point: null, turn: 0 },
  progress: null,
  refused: null,
  follow: true,
  commandOpen: false,
  keysOpen: false,
  set: (change) => set(change),
  togglePart: (name) =>
    set((s) => {
      const hidden = new Set(s.hidden);
      if (!hidden.delete(name)) hidden.add(name);
      return { hidden };
    }),
  lookAt: (point) => set((s) => ({ wish: { point, turn: s.wish.turn + 1 } })),
}));

useStore.subscribe((s, before) => {
  if (s.theme !== before.theme) localStorage.setItem(THEME_KEY, s.theme);
  if (s.stop !== before.stop) {
    history.replaceState(null, "", `#${s.stop}`);
    // The envelope belongs to Reach: it shows there and leaves with it.
    if (s.stop === "reach") s.set({ envelope: true });
    else if (before.stop === "reach") s.set({ envelope: false });
    // So do looks at the layout to Meshes, and the apart view to Pairs.
    if (before.stop === "meshes") s.set({ layout: null });
    if (before.stop === "pairs") s.set({ apart: 0, solo: null });
    if (before.stop === "reach") s.set({ brush: null, limits: false });
    s.set({ lit: null, badges: s.stop === "pairs" });
  }
});
