// Rectangles of a region: drawn either way they are one, cut to the sheet; what lies in another adds nothing.
import { expect, test } from "vitest";
import { setMend, useMendHand } from "../src/stops/review/mends/state";
import { added, between, chooseRegion, clearRegion, useRegionHand } from "../src/stops/review/region/state";

test("a rectangle is the same drawn from any of its corners", () => {
  const whole = { sheet: 2, from: [0.25, 0.5], to: [0.75, 1] };
  expect(between(2, [0.25, 0.5], [0.75, 1.2])).toEqual(whole);
  expect(between(2, [0.75, 1.2], [0.25, 0.5])).toEqual(whole);
  expect(between(2, [0.75, 0.5], [0.25, 1.2])).toEqual(whole);
});

test("what lies within another is left out, on the same sheet alone", () => {
  const large = between(0, [0, 0], [0.5, 0.5]);
  const small = between(0, [0.1, 0.1], [0.2, 0.2]);
  expect(added([large], small)).toEqual([large]);
  expect(added([small], large)).toEqual([large]);
  const elsewhere = between(1, [0.1, 0.1], [0.2, 0.2]);
  expect(added([large], elsewhere)).toEqual([large, elsewhere]);
  // A click without a drag is none.
  expect(added([], between(0, [0.3, 0.3], [0.3, 0.4]))).toEqual([]);
});

test("a run takes so many at most", () => {
  const many = Array.from({ length: 300 }, (_, i) => between(0, [i / 300, 0], [(i + 1) / 300, 0.1]));
  expect(many.reduce(added, [] as ReturnType<typeof added>)).toHaveLength(256);
});

test("a tool for mends puts the region's hand down, and the other way round", () => {
  chooseRegion(true);
  setMend({ tool: "set" });
  expect(useRegionHand.getState().choosing).toBe(false);
  chooseRegion(true);
  expect(useMendHand.getState().tool).toBe(null);
  expect(useRegionHand.getState().choosing).toBe(true);
  clearRegion();
});
