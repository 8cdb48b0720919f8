// Changing finishes and coats of the recipe.
import { useCallback, useMemo } from "react";
import { useRecipe } from "../../../api/queries";
import type { Coat, Finish, Recipe } from "../../../api/types";
import { freeName } from "../edit";
import { openCoat, useFinish } from "../state";
import { coatOf, finishOf, withCoat, withFinish } from "../target";

/** The finish and the coat that are open. */
export function useOpenFinish(): { finish: Finish | null; coat: Coat | null } {
  const [recipe] = useRecipe();
  const name = useFinish((s) => s.finish);
  const coat = useFinish((s) => s.coat);
  return useMemo(() => {
    const finish = recipe ? finishOf(recipe, name) : null;
    return { finish, coat: coatOf(finish, coat) };
  }, [recipe, name, coat]);
}

/** A base before anyone changes it. */
export const BARE = { color: "#808080", roughness: 0.5, metallic: 0 } as const;

/** A coat as it is added. */
export const freshCoat = (name: string): Coat => ({ name, sets: { color: { value: "#8a7a66" } } });

/** Maps that show a finish by itself; a recipe that gets its first one bakes them. */
const FINISH_MAPS = ["base-color", "roughness", "metallic"] as const;

/** Takes finishes into the recipe under names that are free, with their maps. */
export function withFinishes(recipe: Recipe, finishes: readonly Finish[]): [Recipe, string | null] {
  let next = recipe;
  let first: string | null = null;
  for (const finish of finishes) {
    const name = freeName(next.finishes ?? [], finish.name);
    first ??= name;
    next = { ...next, finishes: [...(next.finishes ?? []), { ...finish, name }] };
  }
  const missing = FINISH_MAPS.filter((id) => !next.maps.some((m) => m.map === id));
  return [{ ...next, maps: [...next.maps, ...missing.map((map) => ({ map }))] }, first];
}

/** The coat moved up (1) or down (-1) among its finish's coats. */
export function moved(coats: readonly Coat[], name: string, to: number): Coat[] {
  const coat = coats.find((c) => c.name === name);
  if (!coat) return [...coats];
  const rest = coats.filter((c) => c !== coat);
  rest.splice(Math.min(rest.length, Math.max(0, to)), 0, coat);
  return rest;
}

/** Ways to change a coat that stay the same from one drawing of the page to the next. */
export function useCoatEdits(finish: string, coat: string) {
  const [, edit] = useRecipe();
  const change = useCallback(
    (to: Partial<Coat>) => edit((r) => withCoat(r, finish, coat, (c) => ({ ...c, ...to }))),
    [edit, finish, coat],
  );
  const coats = useCallback(
    (to: (coats: Coat[]) => Coat[]) =>
      edit((r) => withFinish(r, finish, (f) => ({ ...f, coats: to(f.coats ?? []) }))),
    [edit, finish],
  );
  return useMemo(() => ({ change, coats }), [change, coats]);
}

/** A coat under another name. */
export function renameCoat(
  edit: (to: (r: Recipe) => Recipe) => void,
  finish: Finish,
  coat: Coat,
  wanted: string,
) {
  const name = freeName(
    (finish.coats ?? []).filter((c) => c !== coat),
    wanted,
  );
  edit((r) => withCoat(r, finish.name, coat.name, (c) => ({ ...c, name })));
  openCoat(finish.name, name);
}
