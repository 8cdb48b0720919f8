// Changing masks of the recipe, and what is asked of the asset while doing so.

import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { api } from "../../api/client";
import { useOpen } from "../../api/open";
import { useAsset, useRecipe } from "../../api/queries";
import type { Mask, PlaceSettings, Recipe, Signal, Term } from "../../api/types";
import { useFinish } from "./state";
import { asMask, COAT_PLACE, coatOf, finishOf, withCoatPlace } from "./target";

/** Everything masks are made of. */
export function useMaskChoices() {
  return useQuery({
    queryKey: ["mask-choices"],
    queryFn: api.maskChoices,
    staleTime: Number.POSITIVE_INFINITY,
  });
}

export const useAtFinish = () => useOpen((s) => s.stop === "finish");

/** The mask that is open: the one chosen, or the first; where coats are open, the place of the open one. */
export function useOpenMask(): Mask | null {
  const [recipe] = useRecipe();
  const tab = useFinish((s) => s.tab);
  const mask = useFinish((s) => s.mask);
  const finish = useFinish((s) => s.finish);
  const coat = useFinish((s) => s.coat);
  return useMemo(() => {
    if (!recipe) return null;
    if (tab === "finishes") {
      const open = coatOf(finishOf(recipe, finish), coat);
      return open && asMask(open);
    }
    const masks = recipe.masks ?? [];
    return masks.find((m) => m.name === mask) ?? masks[0] ?? null;
  }, [recipe, tab, mask, finish, coat]);
}

export const withMask = (recipe: Recipe, name: string, change: (mask: Mask) => Mask): Recipe =>
  name === COAT_PLACE
    ? withCoatPlace(recipe, change)
    : { ...recipe, masks: (recipe.masks ?? []).map((m) => (m.name === name ? change(m) : m)) };

const withPlace = (recipe: Recipe, name: string, change: (place: PlaceSettings) => PlaceSettings) =>
  withMask(recipe, name, (mask) => ({ ...mask, place: change(mask.place) }));

export const withTerm = (recipe: Recipe, name: string, at: number, change: (term: Term) => Term) =>
  withPlace(recipe, name, (place) => ({
    ...place,
    terms: place.terms.map((t, i) => (i === at ? change(t) : t)),
  }));

/** Ways to change the open mask that stay the same from one drawing of the page to the next. */
export function useMaskEdits(name: string) {
  const [, edit] = useRecipe();
  const place = useCallback(
    (change: Partial<PlaceSettings>) => edit((r) => withPlace(r, name, (p) => ({ ...p, ...change }))),
    [edit, name],
  );
  const term = useCallback(
    (at: number, change: Partial<Term>) => edit((r) => withTerm(r, name, at, (t) => ({ ...t, ...change }))),
    [edit, name],
  );
  const terms = useCallback(
    (change: (terms: Term[]) => Term[]) =>
      edit((r) => withPlace(r, name, (p) => ({ ...p, terms: change(p.terms) }))),
    [edit, name],
  );
  return useMemo(() => ({ place, term, terms }), [place, term, terms]);
}

/** The asset from corner to corner, scene units. */
export function useDiagonal(): number {
  const meshes = useAsset().data?.meshes ?? [];
  const corner = (pick: "low_corner" | "high_corner", best: (...n: number[]) => number) =>
    [0, 1, 2].map((axis) => best(...meshes.map((m) => m.summary[pick][axis] ?? 0)));
  if (meshes.length === 0) return 1;
  const [low, high] = [corner("low_corner", Math.min), corner("high_corner", Math.max)];
  return Math.hypot(...low.map((c, i) => (high[i] ?? 0) - c)) || 1;
}

/** A length to two figures. */
export const twoFigures = (length: number) => Number(length.toPrecision(2));

/** Decimals that tell a thousandth of a length, and a step of a two-hundredth. */
export function fine(length: number) {
  const digits = Math.max(0, Math.min(8, 3 - Math.floor(Math.log10(Math.max(1e-9, length)))));
  return { digits, step: length / 200 };
}

/** A name that none of them has yet. */
export function freeName(masks: readonly { name: string }[], wanted: string): string {
  const taken = (name: string) => masks.some((m) => m.name === name);
  if (!taken(wanted)) return wanted;
  for (let n = 2; ; n++) if (!taken(`${wanted} ${n}`)) return `${wanted} ${n}`;
}

/** Takes masks into the recipe under names that are free, each baked as a map too. */
export function withMasks(recipe: Recipe, masks: readonly Mask[]): [Recipe, string[]] {
  const names: string[] = [];
  let next = recipe;
  for (const mask of masks) {
    const name = freeName(next.masks ?? [], mask.name);
    names.push(name);
    next = {
      ...next,
      masks: [...(next.masks ?? []), { ...mask, name }],
      maps: [...next.maps, { map: "mask", mask: name }],
    };
  }
  return [next, names];
}

/** Said where the only map of a recipe would go. */
export const LAST_MAP = "An asset bakes at least one map; choose another at Maps first.";

/** The maps once a mask is gone: not its own map, and nothing in its channels of packed pictures. */
export function withoutMask(maps: Recipe["maps"], gone: string): Recipe["maps"] {
  const packed = (name: string | null | undefined) => (name === gone ? null : name);
  return maps.flatMap((m): Recipe["maps"] => {
    if (m.map === "mask") return m.mask === gone ? [] : [m];
    if (m.map !== "packed" || ![m.red, m.green, m.blue, m.alpha].includes(gone)) return [m];
    const left = {
      ...m,
      red: packed(m.red),
      green: packed(m.green),
      blue: packed(m.blue),
      alpha: packed(m.alpha),
    };
    return [left.red, left.green, left.blue, left.alpha].some((name) => name != null) ? [left] : [];
  });
}

/** The same signal measured otherwise. */
export const measured = (signal: Signal, setting: string, value: unknown): Signal =>
  ({ ...signal, [setting]: value }) as Signal;
