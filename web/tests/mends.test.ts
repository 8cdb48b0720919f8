// What mends are shown of a run, and what a hand makes of them.
import { beforeEach, expect, test } from "vitest";
import { type ShownRun, sameButMends } from "../src/api/queries";
import type { Mend, Recipe } from "../src/api/types";
import { mendsToShow, withHand } from "../src/stops/review/mends/live";
import {
  beginMend,
  endMend,
  goOnMending,
  setMend,
  settleMend,
  useMendHand,
} from "../src/stops/review/mends/state";

const stroke = (maps: string[], size = 1): Mend => ({
  tool: "smooth",
  maps,
  size,
  strength: 1,
  path: [[0, 0, 0, 1]],
});
const run = (strokes: Mend[], hidden = false) =>
  ({ id: 3, report: { recipe: { mends: { strokes, hidden } } } }) as unknown as ShownRun;

beforeEach(() => {
  setMend({
    tool: null,
    size: null,
    strength: 1,
    maps: null,
    from: null,
    stroke: null,
    pending: [],
    before: false,
  });
});

test("a run shows its own mends by itself, and others are drawn", () => {
  const own = stroke(["ao"]);
  const now = withHand({ strokes: [own] }, []);
  expect(mendsToShow(run([own]), "ao", now, false)).toBeNull();
  expect(mendsToShow(run([]), "ao", now, false)).toEqual(now);
  expect(mendsToShow(run([]), "normal", now, false), "of another map nothing changes").toBeNull();
  // What was remembered beneath a stroke changes no picture.
  expect(mendsToShow(run([{ ...own, beneath: { ao: [[0.5]] } }]), "ao", now, false)).toBeNull();
  // Undone since, or hidden: the run's file shows them, so that it is drawn without.
  expect(mendsToShow(run([own]), "ao", { strokes: [] }, false)).toEqual({ strokes: [] });
  expect(mendsToShow(run([own]), "ao", now, true)).toEqual({ ...now, hidden: true });
  expect(mendsToShow(run([own], true), "ao", now, true)).toBeNull();
  // The stroke in hand comes last, and shows whatever was hidden.
  const next = stroke(["ao"], 2);
  expect(withHand({ strokes: [own], hidden: true }, [next])).toEqual({ strokes: [own, next] });
});

test("a hand chooses a source first, and draws on the maps it is set to", () => {
  beginMend([1, 2, 3], 1, 10, "normal");
  expect(useMendHand.getState().stroke, "no tool is in hand").toBeNull();
  setMend({ tool: "clone" });
  beginMend([1, 2, 3], 1, 10, "normal");
  expect(useMendHand.getState()).toMatchObject({ from: [1, 2, 3], stroke: null });
  beginMend([4, 2, 3], 0.5, 10, "normal");
  goOnMending([4.001, 2, 3], 0.5);
  goOnMending([4.2, 2, 3], 0.5);
  expect(useMendHand.getState().stroke).toEqual({
    tool: "clone",
    maps: ["normal"],
    size: 0.2,
    strength: 1,
    from: [1, 2, 3],
    path: [
      [4, 2, 3, 0.5],
      [4.2, 2, 3, 0.5],
    ],
  });
  setMend({ tool: "set", maps: new Set(["ao", "cavity"]), stroke: null, value: 0.25, color: "#102030" });
  beginMend([0, 0, 0], 1, 10, undefined);
  const { stroke } = useMendHand.getState();
  expect(stroke?.maps).toEqual(["ao", "cavity"]);
  expect([stroke?.value, stroke?.color, stroke?.from]).toEqual([0.25, "#102030", undefined]);
});

test("strokes that have ended stay on screen in their order until they are kept", () => {
  setMend({ tool: "smooth" });
  expect(endMend()).toBeNull();
  const [first, second] = [1, 2].map((x) => {
    beginMend([x, 0, 0], 1, 10, "ao");
    return endMend() as Mend;
  }) as [Mend, Mend];
  expect(useMendHand.getState()).toMatchObject({ stroke: null, pending: [first, second] });
  settleMend(first);
  expect(useMendHand.getState().pending).toEqual([second]);
  // Nothing is drawn on a map that is not there.
  beginMend([3, 0, 0], 1, 10, undefined);
  expect(endMend()).toBeNull();
});

test("mends alone ask for no proof", () => {
  const recipe = { asset: "a", low: [], maps: [], seed: 0 } as unknown as Recipe;
  const mended = {
    asset: "a",
    low: [],
    maps: [],
    mends: { strokes: [stroke(["ao"])] },
    seed: 0,
  } as unknown as Recipe;
  expect(sameButMends(recipe, mended)).toBe(true);
  expect(sameButMends(recipe, { ...mended, seed: 1 })).toBe(false);
  expect(sameButMends(recipe, recipe)).toBe(false);
});
