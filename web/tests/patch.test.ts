// Edits as lists of changes: laid over what they were made from they give what was edited, whatever was edited.
import { expect, test } from "vitest";
import { difference, withChanges } from "../src/api/patch";
import type { Recipe } from "../src/api/types";

const recipe = (change: object = {}) =>
  ({
    version: 1,
    asset: "lid",
    low: [{ file: "lid.obj" }],
    high: [{ file: "a.obj" }, { file: "b.obj" }],
    maps: [
      { map: "normal", y: "+", carried: true },
      { map: "ao", rays: 64, distance: "auto" },
    ],
    reach: { out: "auto", in: 0.1 },
    sheet: { size: 1024, samples: 4 },
    ...change,
  }) as unknown as Recipe;

test("one setting is one change, named by its place", () => {
  const before = recipe();
  const after = recipe({ sheet: { size: 2048, samples: 4 } });
  expect(difference(before, after)).toEqual([{ at: ["sheet", "size"], to: 2048 }]);
});

test("entries of named lists are entered by their names", () => {
  const after = recipe({
    maps: [
      { map: "normal", y: "-", carried: true },
      { map: "ao", rays: 64, distance: "auto" },
      { map: "id", from: "part" },
    ],
  });
  expect(difference(recipe(), after)).toEqual([
    { at: ["maps", "normal", "y"], to: "-" },
    { at: ["maps", "id"], to: { map: "id", from: "part" } },
  ]);
  const fewer = recipe({ high: [{ file: "b.obj" }] });
  expect(difference(recipe(), fewer)).toEqual([{ at: ["high", "a.obj"] }]);
});

test("lists that grow are added to", () => {
  const stroke = { brush: "more", size: 1 };
  const one = recipe({ reach: { out: "auto", in: 0.1, strokes: [stroke] } });
  const two = recipe({ reach: { out: "auto", in: 0.1, strokes: [stroke, stroke] } });
  expect(difference(one, two)).toEqual([{ at: ["reach", "strokes", "+"], to: [stroke] }]);
  expect(withChanges(recipe(), difference(recipe(), two))).toEqual(two);
});

/** The same numbers for every run. */
function* numbers(seed: number): Generator<number> {
  let state = seed;
  for (;;) {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    yield state / 2 ** 32;
  }
}

test("changes laid over a recipe give the edited one, for many random edits", () => {
  const source = numbers(7);
  const next = (below: number) => Math.floor((source.next().value as number) * below);
  const some = <T>(all: readonly T[]) => all.filter(() => next(2) === 0);
  const made = () =>
    recipe({
      high: some([{ file: "a.obj" }, { file: "b.obj" }, { file: "c.obj", uvs: next(3) }]),
      maps: some([{ map: "normal", y: "+-"[next(2)] }, { map: "ao", rays: next(9) }, { map: "id" }]),
      reach: { out: next(2) ? "auto" : next(5), in: next(5), parts: some([{ part: "a", out: next(4) }]) },
      sheet: { size: 2 ** next(12), samples: next(4) },
    });
  for (let i = 0; i < 400; i++) {
    const [before, after] = [made(), made()];
    expect(withChanges(before, difference(before, after))).toEqual(after);
    expect(difference(after, after)).toEqual([]);
  }
});
