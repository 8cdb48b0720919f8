// Changing finishes and coats of a recipe, and the place of a coat as a mask that a question holds.
import { afterEach, expect, test } from "vitest";
import type { Coat, Finish, Recipe } from "../src/api/types";
import { moved, withFinishes } from "../src/stops/finish/coats/edit";
import { withTerm } from "../src/stops/finish/edit";
import { openCoat } from "../src/stops/finish/state";
import { asked, COAT_PLACE } from "../src/stops/finish/target";

const coat = (name: string): Coat => ({ name, sets: { color: { value: "#102030" } } });
const finish = (name: string, coats: Coat[]): Finish => ({
  name,
  on: "all",
  base: { color: "#808080", roughness: 0.5, metallic: 0 },
  coats,
});
const bare = {
  maps: [{ map: "normal" }, { map: "roughness" }],
  masks: [],
  finishes: [],
} as unknown as Recipe;

afterEach(() => openCoat(null));

test("a coat moves among its finish's coats and no further", () => {
  const coats = ["rust", "enamel", "dust"].map(coat);
  const names = (name: string, to: number) => moved(coats, name, to).map((c) => c.name);
  expect(names("dust", 1)).toEqual(["rust", "dust", "enamel"]);
  expect(names("rust", 2)).toEqual(["enamel", "dust", "rust"]);
  expect(names("rust", -1)).toEqual(["rust", "enamel", "dust"]);
  expect(names("dust", 9)).toEqual(["rust", "enamel", "dust"]);
  expect(names("moss", 0)).toEqual(["rust", "enamel", "dust"]);
});

test("a finish comes under a free name, with the maps that show it once each", () => {
  const [first, name] = withFinishes(bare, [finish("enamel", [])]);
  expect(name).toBe("enamel");
  expect(first.maps.map((m) => m.map)).toEqual(["normal", "roughness", "base-color", "metallic"]);
  const [second, other] = withFinishes(first, [finish("enamel", [])]);
  expect(other).toBe("enamel 2");
  expect(second.finishes?.map((f) => f.name)).toEqual(["enamel", "enamel 2"]);
  expect(second.maps).toHaveLength(4);
});

test("the open coat's place is asked about as a mask and changed in its coat", () => {
  const term = { signal: { kind: "facing", direction: [0, 1, 0] }, from: [0, 1], to: [1, 1] } as const;
  const placed = { ...coat("dust"), place: { terms: [term] } } as unknown as Coat;
  const recipe = { ...bare, finishes: [finish("a", [coat("one")]), finish("b", [placed, coat("top")])] };
  openCoat("b", "dust");
  const question = asked(recipe, COAT_PLACE);
  expect(question.masks).toEqual([{ name: COAT_PLACE, place: placed.place }]);
  expect(recipe.masks).toEqual([]);
  expect(asked(recipe, "a mask of its own")).toBe(recipe);
  const changed = withTerm(recipe, COAT_PLACE, 0, (t) => ({ ...t, from: [0.5, 0.6] }));
  expect(changed.finishes?.[1]?.coats?.[0]?.place?.terms[0]?.from).toEqual([0.5, 0.6]);
  expect(changed.finishes?.[0]).toEqual(recipe.finishes[0]);
  expect(changed.finishes?.[1]?.coats?.[1]).toEqual(coat("top"));
});
