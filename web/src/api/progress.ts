// What the server is doing now, as its events tell: the bake that runs, and files that are being read.
import { create } from "zustand";
import type { ProgressView } from "./types";

interface Progress {
  running: ProgressView | null;
  /** What is being done with files that were sent, by name. */
  intake: Readonly<Record<string, string>>;
  /** UVs that are being relaxed, or were by the last edit: the mean stretch energy as it fell. */
  relaxing: { asset: number; energies: readonly number[] } | null;
}

export const useProgress = create<Progress>()(() => ({ running: null, intake: {}, relaxing: null }));
