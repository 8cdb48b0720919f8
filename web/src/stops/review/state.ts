// What the Review stop knows: the texel whose story is told.
import { create } from "zustand";

interface Traced {
  traced: { run: number; sheet: number; x: number; y: number } | null;
  /** Which of its rays. */
  ray: number;
}

export const useTraced = create<Traced>()(() => ({ traced: null, ray: 0 }));
export const setTraced = (change: Partial<Traced>) => useTraced.setState(change);
