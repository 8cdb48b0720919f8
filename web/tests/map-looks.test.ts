import { describe, expect, test } from "vitest";
import type { ShownRun } from "../src/api/queries";
import { mapPicture, PLAIN_LOOK } from "../src/stages/looks";
import { levelFor } from "../src/stages/sheet/picture";

const run = (squares?: number[]) =>
  ({ id: 7, size: 2048, pictures: [{ map: "ao", sheet: 0, hash: "abc", squares }] }) as unknown as ShownRun;

describe("where a map lies as it is looked at", () => {
  test("as it was baked it is the picture by its content", () => {
    expect(mapPicture(run(), "ao", 0, PLAIN_LOOK, 0)).toEqual({ url: "/api/pictures/abc", squares: null });
    expect(mapPicture(run(), "ao", 1, PLAIN_LOOK, 0)).toBeNull();
    expect(mapPicture(run(), "normal", 0, PLAIN_LOOK, 0)).toBeNull();
  });

  test("a range, brightness and a mip level are told in the address", () => {
    const url = (...of: Parameters<typeof mapPicture>) => mapPicture(...of)?.url;
    expect(url(run(), "ao", 0, { range: [0.25, 0.5], stops: 0 }, 0)).toBe(
      "/api/runs/7/look/ao?sheet=0&from=0.25&to=0.5",
    );
    expect(url(run(), "ao", 0, { range: null, stops: -1.5 }, 0)).toBe(
      "/api/runs/7/look/ao?sheet=0&stops=-1.5",
    );
    expect(url(run(), "ao", 0, PLAIN_LOOK, 3)).toBe("/api/runs/7/look/ao?sheet=0&level=3");
  });

  test("a large map comes in squares that are looked at the same way", () => {
    const large = run([8192, 4096, 2048]);
    const plain = mapPicture(large, "ao", 0, PLAIN_LOOK, 0);
    expect(plain?.squares?.sides).toEqual([8192, 4096, 2048]);
    expect(plain?.squares?.url(1, 2, 3)).toBe("/api/runs/7/squares/ao/1/2/3?sheet=0");
    const ranged = mapPicture(large, "ao", 0, { range: [0, 0.5], stops: 0 }, 0);
    expect(ranged?.url).toBe("/api/runs/7/look/ao?sheet=0&from=0&to=0.5");
    expect(ranged?.squares?.url(0, 0, 0)).toBe("/api/runs/7/squares/ao/0/0/0?sheet=0&from=0&to=0.5");
    // A mip level is one picture.
    expect(mapPicture(large, "ao", 0, PLAIN_LOOK, 2)?.squares).toBeNull();
  });
});

test("the level that is drawn has a texel for each pixel, or is the full size", () => {
  const sides = [8192, 4096, 2048, 1024];
  expect(levelFor(sides, 800)).toBe(3);
  expect(levelFor(sides, 1024)).toBe(3);
  expect(levelFor(sides, 1025)).toBe(2);
  expect(levelFor(sides, 5000)).toBe(0);
  expect(levelFor(sides, 60000)).toBe(0);
});
