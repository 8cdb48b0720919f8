// A batch in a line: how many of its assets are how far, those that ask for something first.
import { expect, test } from "vitest";
import type { BatchState } from "../src/api/types";
import { summary } from "../src/stops/bake/batch/section";

const of = (...states: BatchState[]) => summary(states.map((state) => ({ state })));

test("what failed is told first, and nothing of a state that none is in", () => {
  expect(of("done", "unchanged", "failed", "done", "waiting", "baking")).toBe(
    "1 failed, 1 baking, 1 queued, 2 done, 1 up to date",
  );
  expect(of("done")).toBe("1 done");
});
