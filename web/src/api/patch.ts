// What an edit changed, as the server takes it (crates/core/src/recipe/patch.rs says how places are named), and such changes laid
// over a recipe that is only shown.
import LISTS from "./lists.json";
import type { Change, MapSettings, Recipe } from "./types";

type Json = null | boolean | number | string | Json[] | { [key: string]: Json };
type Fields = { [key: string]: Json };

const ADDED = "+";

function isAt(at: readonly string[], place: string): boolean {
  const names = place.split("/");
  return names.length === at.length && names.every((name, i) => name === "*" || name === at[i]);
}

/** The fields that name the entries of the list at a place. */
const keyOf = (at: readonly string[]): readonly string[] | null =>
  LISTS.named.find(({ place }) => isAt(at, place))?.key ?? null;

/** The name of an entry; null where it has none of the fields. */
function nameOf(entry: Json | undefined, key: readonly string[] | null): string | null {
  if (!isFields(entry) || !key) return null;
  const fields = key.map((field) => entry[field]).filter((field) => typeof field === "string");
  return fields.length > 0 ? fields.join(":") : null;
}

/** What tells a map from all others of a recipe: its kind, with its name where there may be several. */
export const mapKey = (map: MapSettings): string =>
  nameOf(map as unknown as Json, keyOf(["maps"])) ?? map.map;

const grows = (at: readonly string[]): boolean => LISTS.growing.some((place) => isAt(at, place));

const isFields = (v: Json | undefined): v is Fields =>
  typeof v === "object" && v !== null && !Array.isArray(v);
const listOf = (v: Json | undefined): Json[] => (Array.isArray(v) ? v : []);
const same = (a: Json | undefined, b: Json | undefined): boolean =>
  a === b || JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

/** What leads from one recipe to another. */
export function difference(before: Recipe, after: Recipe): Change[] {
  const changes: Change[] = [];
  compare([], before as unknown as Json, after as unknown as Json, changes);
  return changes;
}

function compare(at: string[], a: Json | undefined, b: Json | undefined, changes: Change[]): void {
  if (same(a, b)) return;
  if (isFields(a) && isFields(b)) {
    for (const key of new Set([...Object.keys(a), ...Object.keys(b)])) {
      compare([...at, key], a[key], b[key], changes);
    }
    return;
  }
  const [had, has] = [listOf(a), listOf(b)];
  if (grows(at) && has.length > had.length && had.every((v, i) => same(v, has[i]))) {
    changes.push({ at: [...at, ADDED], to: has.slice(had.length) });
    return;
  }
  const key = keyOf(at);
  const names = key ? namesInOrder(key, had, has) : null;
  if (key && names) {
    const find = (list: Json[], name: string) => list.find((v) => nameOf(v, key) === name);
    for (const name of names) compare([...at, name], find(had, name), find(has, name), changes);
    return;
  }
  changes.push(b === undefined || b === null ? { at } : { at, to: b });
}

/** The names in two lists, when each stands once and those in both stand in one order, new ones last. */
function namesInOrder(key: readonly string[], had: Json[], has: Json[]): string[] | null {
  const named = (list: Json[]) => list.map((v) => nameOf(v, key));
  const [a, b] = [named(had), named(has)];
  if ([...a, ...b].some((n) => typeof n !== "string")) return null;
  if (new Set(a).size < a.length || new Set(b).size < b.length) return null;
  const added = b.filter((n) => !a.includes(n));
  const expected = [...a.filter((n) => b.includes(n)), ...added];
  return expected.every((n, i) => n === b[i]) ? ([...a, ...added] as string[]) : null;
}

/** The recipe with changes laid over it; those whose place is gone are left out, which the server will say. */
export function withChanges(recipe: Recipe, changes: readonly Change[]): Recipe {
  const copy = structuredClone(recipe) as unknown as Fields;
  for (const change of changes) put(copy, change.at, change.to as Json | undefined);
  return copy as unknown as Recipe;
}

function put(root: Fields, at: readonly string[], to: Json | undefined): void {
  let here: Json | undefined = root;
  const last = at.at(-1);
  if (last === undefined) return;
  for (const [depth, name] of at.slice(0, -1).entries()) {
    const place = at.slice(0, depth);
    if (Array.isArray(here)) {
      const key: readonly string[] | null = keyOf(place);
      here = here.find((v) => nameOf(v, key) === name);
    } else if (isFields(here)) {
      const next = at[depth + 1];
      here[name] ??= keyOf([...place, name]) || next === ADDED ? [] : {};
      here = here[name];
    }
  }
  if (Array.isArray(here) && last === ADDED) {
    here.push(...listOf(to));
  } else if (Array.isArray(here)) {
    const key = keyOf(at.slice(0, -1));
    const i = here.findIndex((v) => nameOf(v, key) === last);
    if (to === undefined) {
      if (i >= 0) here.splice(i, 1);
    } else if (i >= 0) here[i] = to;
    else here.push(to);
  } else if (isFields(here)) {
    if (to === undefined) delete here[last];
    else here[last] = to;
  }
}
