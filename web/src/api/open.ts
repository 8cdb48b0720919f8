// What is open: which asset, at which stop, and which of its runs is looked at. The address says the same (app/address.ts).
import { create } from "zustand";

export interface Open {
  asset: number | null;
  stop: string;
  /** The run that is looked at; null follows the newest finished one. */
  run: number | null;
}

/** Where the page opens when nothing says otherwise. */
export const FIRST_STOP = "review";

export const useOpen = create<Open>()(() => ({ asset: null, stop: FIRST_STOP, run: null }));

/** Whether the run that is looked at stays while proofs follow the hand: it is being compared with what is made now. */
export const useHolding = create(() => ({ holds: false }));

/** Opens something else. Another asset is looked at through its newest run, unless one is named. */
export function open(change: Partial<Open>) {
  useOpen.setState((now) => {
    const other = change.asset !== undefined && change.asset !== now.asset;
    return other ? { run: null, ...change } : change;
  });
}
