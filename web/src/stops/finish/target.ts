// The place in hand: that of a mask, or of a coat. A coat's place is set by the same means as a mask; the program is asked about it as
// about a mask that only the question holds.
import type { Coat, Finish, Mask, PlaceSettings, Recipe } from "../../api/types";
import { useFinish } from "./state";

/** Name of the mask that a question holds for the place of the open coat. */
export const COAT_PLACE = "place of the open coat";

const FRESH: PlaceSettings = { terms: [] };

/** The finish that is open: the one chosen, or the first. */
export const finishOf = (recipe: Recipe, name: string | null): Finish | null =>
  recipe.finishes?.find((f) => f.name === name) ?? recipe.finishes?.[0] ?? null;

/** The coat that is open: the one chosen, or the topmost. */
export const coatOf = (finish: Finish | null, name: string | null): Coat | null =>
  finish?.coats?.find((c) => c.name === name) ?? finish?.coats?.at(-1) ?? null;

function opened(recipe: Recipe) {
  const { finish, coat } = useFinish.getState();
  const found = finishOf(recipe, finish);
  return { finish: found, coat: coatOf(found, coat) };
}

/** A coat's place, as if it were a mask. */
export const asMask = (coat: Coat): Mask => ({ name: COAT_PLACE, place: coat.place ?? FRESH });

/** The recipe as the program is asked about it: with the place of the open coat among its masks. */
export function asked(recipe: Recipe, mask: string): Recipe {
  const { coat } = opened(recipe);
  if (mask !== COAT_PLACE || !coat) return recipe;
  return { ...recipe, masks: [...(recipe.masks ?? []), asMask(coat)] };
}

/** The recipe with the open coat's place changed. */
export function withCoatPlace(recipe: Recipe, change: (mask: Mask) => Mask): Recipe {
  const { finish, coat } = opened(recipe);
  if (!finish || !coat) return recipe;
  return withCoat(recipe, finish.name, coat.name, (c) => ({ ...c, place: change(asMask(c)).place }));
}

export const withFinish = (recipe: Recipe, name: string, change: (finish: Finish) => Finish): Recipe => ({
  ...recipe,
  finishes: (recipe.finishes ?? []).map((f) => (f.name === name ? change(f) : f)),
});

export const withCoat = (
  recipe: Recipe,
  finish: string,
  coat: string,
  change: (coat: Coat) => Coat,
): Recipe =>
  withFinish(recipe, finish, (f) => ({
    ...f,
    coats: (f.coats ?? []).map((c) => (c.name === coat ? change(c) : c)),
  }));
