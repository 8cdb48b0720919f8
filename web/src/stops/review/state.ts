// What the Review stop knows: the texel whose story is told, and the run that is compared.
import { create } from "zustand";
import { useOpen } from "../../api/open";
import { type Against, show, useView } from "../../stages/view";

interface Traced {
  traced: { run: number; sheet: number; x: number; y: number } | null;
  /** Which of its rays. */
  ray: number;
}

export const useTraced = create<Traced>()(() => ({ traced: null, ray: 0 }));
/** The run that was compared when the stop was left: elsewhere the stages show what the other stops are about. */
let kept: Against | null = null;

/** Holds a run against the one that is looked at, now at Review or once one is there. */
export function setAgainst(against: Against | null) {
  kept = against;
  if (useOpen.getState().stop === "review") show({ against });
}

export function lendAgainst() {
  show({ against: kept });
}

export function takeAgainstBack() {
  const { against } = useView.getState();
  kept = against && { ...against, shows: "this" };
  show({ against: null });
}

export const setTraced = (change: Partial<Traced>) => useTraced.setState(change);
