// What the server is doing now, as its events tell: the bake that runs, and files that are being read.
import { create } from "zustand";
import type { ProgressView } from "./types";

interface Progress {
  running: ProgressView | null;
  /** What is being done with files that were sent, by name. */
  intake: Readonly<Record<string, string>>;
}

export const useProgress = create<Progress>()(() => ({ running: null, intake: {} }));
