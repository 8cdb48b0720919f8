// What the open mask and its signals are under the pointer. One question is under way at a time.
import { useEffect, useRef } from "react";
import { create } from "zustand";
import { api } from "../../api/client";
import { useAsset, useRecipe } from "../../api/queries";
import type { MaskAt, PickedPlace, Recipe } from "../../api/types";
import { type Hover, hover, useHover } from "../../stages/hover";
import { Probe } from "../../stages/sheet/texel-probe";
import { useOpenMask } from "./edit";
import { useShownMask } from "./live";
import { asked } from "./target";

export const useMaskAt = create<{ at: MaskAt | null }>()(() => ({ at: null }));

/** A place pointed at, as the program is asked about it; null beside the low-poly. */
export const placeOf = (place: Hover | null): PickedPlace | null =>
  place?.point && place.triangle !== null ? { triangle: place.triangle, point: place.point } : null;

interface Question {
  asset: number;
  recipe: Recipe;
  mask: string;
  at: PickedPlace;
}

let asking = false;
let next: Question | null = null;

async function ask(question: Question) {
  next = question;
  if (asking) return;
  asking = true;
  while (next) {
    const { asset, recipe, mask, at }: Question = next;
    next = null;
    const found = await api.maskAt(asset, asked(recipe, mask), mask, at).catch(() => null);
    if (hover.get()) useMaskAt.setState({ at: found });
  }
  asking = false;
}

/** Asks about each place that is pointed at. */
export function AskUnderPointer() {
  const asset = useAsset().data?.id;
  const [recipe] = useRecipe();
  const mask = useOpenMask()?.name;
  const now = useRef({ asset, recipe, mask });
  useEffect(() => {
    now.current = { asset, recipe, mask };
  });
  useEffect(
    () =>
      hover.listen(() => {
        const { asset, recipe, mask } = now.current;
        const at = placeOf(hover.get());
        if (!at) return useMaskAt.setState({ at: null });
        if (asset !== undefined && recipe && mask !== undefined) ask({ asset, recipe, mask, at });
      }),
    [],
  );
  return null;
}

export function MaskProbe() {
  const mask = useOpenMask();
  const part = useHover((h) => h?.part ?? null);
  const pointed = useHover((h) => placeOf(h) !== null);
  const found = useMaskAt((s) => s.at);
  const live = useShownMask();
  if (!pointed || !mask) return null;
  return (
    <Probe label="Mask under the pointer">
      <b>{part}</b>
      {found && found.value !== null && <span>mask {found.value.toFixed(2)}</span>}
      {found?.terms.map((term, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: terms have no names, only places
        <span key={i}>
          {live?.view?.terms[i]?.signal} {term.signal === null ? "none" : signed(term.signal)}
        </span>
      ))}
    </Probe>
  );
}

/** A signal's value, to three figures. */
export const signed = (value: number) => `${value < 0 ? "−" : ""}${Number(Math.abs(value).toPrecision(3))}`;
