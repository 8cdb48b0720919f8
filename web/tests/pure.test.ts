// Small rules of the page, against arithmetic.
import * as THREE from "three";
import { expect, test } from "vitest";
import type { MaskChoices, Recipe } from "../src/api/types";
import { cursorKey, Press } from "../src/stages/clicks";
import { hover } from "../src/stages/hover";
import { type MeshData, UvFinder } from "../src/stages/mesh-data";
import { hold } from "../src/stages/model/camera";
import { cellOf } from "../src/stages/model/ground";
import { cornersOn, type Sheets, uvsOn } from "../src/stages/sheets";
import { withoutMask } from "../src/stops/finish/edit";
import { secondsLeft } from "../src/stops/finish/time-left";
import { freshTerm } from "../src/stops/finish/where-section";
import { waysApart } from "../src/stops/pairs/ways";
import { forLook } from "../src/stops/reach/live";
import { evaluate } from "../src/ui/arithmetic";

test("numbers are typed with arithmetic", () => {
  for (const [text, value] of [
    ["0.03 + 0.02", 0.05],
    ["2*(3-1)/4", 1],
    ["-1.5", -1.5],
    ["1e-3", 0.001],
    ["", null],
    ["2 +", null],
    ["1/0", null],
    ["alert(1)", null],
  ] as const) {
    const got = evaluate(text);
    if (value === null) expect(got, text).toBeNull();
    else expect(got, text).toBeCloseTo(value, 12);
  }
});

test("cells of the grid are 1, 2 or 5 of a power of ten, and some eight to a model", () => {
  for (const size of [0.003, 0.9, 1, 3.6, 42, 7200]) {
    const cell = cellOf(size);
    const digit = cell / 10 ** Math.floor(Math.log10(cell) + 1e-9);
    expect(
      [1, 2, 5].some((n) => Math.abs(n - digit) < 1e-6),
      `${cell}`,
    ).toBe(true);
    expect(size / cell).toBeGreaterThan(3);
    expect(size / cell).toBeLessThan(12);
  }
});

/** Two triangles of a unit square in UV space, the second a sheet further right; in space the square lies at height 2. */
function square(): MeshData {
  const uv = new Float32Array([0, 0, 1, 0, 0, 1, 1, 0, 2, 0, 1, 1]);
  const position = new Float32Array([0, 2, 0, 1, 2, 0, 0, 2, 1, 1, 2, 0, 2, 2, 0, 1, 2, 1]);
  const arrays: Record<string, Float32Array> = { uv, position };
  const parts = [
    { name: "left", start: 0, count: 3 },
    { name: "right", start: 3, count: 3 },
  ];
  return {
    header: { parts, vertices: 6, low_corner: [0, 2, 0], high_corner: [2, 2, 1] },
    floats: (name: string) => arrays[name] ?? null,
    index: Uint32Array.from({ length: 6 }, (_, i) => i),
  } as unknown as MeshData;
}

const SHEETS: Sheets = {
  of: Uint8Array.of(0, 1),
  corners: [
    [0, 0],
    [1, 0],
  ],
};

test("a place of a sheet is found on the model", () => {
  const finder = new UvFinder(square(), SHEETS);
  expect(finder.find(0.25, 0.5, 0)).toMatchObject({ part: "left", triangle: 0 });
  const found = finder.find(0.25, 0.5, 1);
  expect(found).toMatchObject({ part: "right", triangle: 1 });
  expect(found?.point).toEqual([1.25, 2, 0.5]);
  expect(finder.find(0.9, 0.9, 0)).toBeNull();
});

test("triangles of a sheet are moved into its unit square", () => {
  expect(cornersOn(square(), SHEETS, 1, 1)).toEqual([0, 0, 1, 0, 0, 1]);
  expect(cornersOn(square(), SHEETS, 0, 1)).toBeNull();
  expect([...(uvsOn(square(), SHEETS, 1) ?? [])]).toEqual([0, 0, 1, 0, 0, 1]);
});

test("pairs go away from the middle, and their numbers stand on their tops", () => {
  const pairs = ["left", "right"].map((low, i) => ({
    number: i + 1,
    low,
    high: [{ name: `${low}_high`, why: "", by_hand: false, by_default: false }],
  }));
  const ways = waysApart(pairs, square());
  expect(ways.low.get("left")?.[0]).toBeLessThan(0);
  expect(ways.low.get("right")?.[0]).toBeGreaterThan(0);
  expect(ways.high.get("right_high")).toEqual(ways.low.get("right"));
});

test("a drag is no click, and other buttons are none either", () => {
  const at = (clientX: number, button = 0) => ({ button, clientX, clientY: 5 });
  const press = new Press();
  press.down(at(10));
  expect(press.up(at(12))).toBe(true);
  press.down(at(10));
  expect(press.up(at(20))).toBe(false);
  press.down(at(10, 2));
  expect(press.up(at(10))).toBe(false);
  expect(press.up(at(10))).toBe(false);
});

test("Shift with an arrow moves the cursor, an arrow alone does not", () => {
  expect(cursorKey({ key: "ArrowLeft", shiftKey: true })).toEqual([-1, 0]);
  expect(cursorKey({ key: "ArrowLeft", shiftKey: false })).toBeNull();
  expect(cursorKey({ key: "Enter", shiftKey: false })).toBe("click");
});

test("the place pointed at is heard of until one no longer listens", () => {
  let heard = 0;
  const end = hover.listen(() => heard++);
  const place = { from: "sheet", uv: [0, 0], sheet: 0, point: null, part: null, triangle: null } as const;
  hover.set({ ...place, uv: [0, 0] });
  hover.set(null);
  hover.set(null);
  end();
  hover.set({ ...place, uv: [0, 0] });
  expect(heard).toBe(2);
});

test("a box is framed whole and in the middle, from any side", () => {
  for (const [low, high] of [
    [new THREE.Vector3(-1, -1, 0), new THREE.Vector3(1, 1, 0.02)],
    [new THREE.Vector3(3, -7, 2), new THREE.Vector3(4, 5, 9)],
  ] as const)
    for (const aspect of [0.4, 1, 2.5])
      for (const direction of [
        new THREE.Vector3(2.1, 1.1, 4.2).normalize(),
        new THREE.Vector3(-1, 0.2, 0.1).normalize(),
      ]) {
        const { target, distance } = hold(new THREE.Box3(low, high), direction, 32, aspect);
        const camera = new THREE.PerspectiveCamera(32, aspect, 0.01, 1000);
        camera.position.copy(target).addScaledVector(direction, distance);
        camera.lookAt(target);
        camera.updateMatrixWorld();
        const seen = Array.from({ length: 8 }, (_, i) =>
          new THREE.Vector3(i & 1 ? low.x : high.x, i & 2 ? low.y : high.y, i & 4 ? low.z : high.z).project(
            camera,
          ),
        );
        const range = (axis: "x" | "y") => {
          const all = seen.map((p) => p[axis]);
          return [Math.min(...all), Math.max(...all)] as const;
        };
        const [[left, right], [bottom, top]] = [range("x"), range("y")];
        expect(left + right).toBeCloseTo(0, 9);
        expect(bottom + top).toBeCloseTo(0, 9);
        expect(right).toBeLessThanOrEqual(0.92 + 1e-9);
        expect(top).toBeLessThanOrEqual(0.86 + 1e-9);
        expect(Math.max(right / 0.92, top / 0.86)).toBeCloseTo(1, 9);
      }
});

test("a removed mask leaves its map, its channels, and pictures with no other", () => {
  const kept = { map: "packed", name: "two", red: "dust", green: "edges" } as const;
  const alone = { map: "packed", name: "one", blue: "dust" } as const;
  const other = { map: "packed", name: "other", red: "edges" } as const;
  const maps = withoutMask(
    [{ map: "mask", mask: "dust" }, { map: "mask", mask: "edges" }, kept, alone, other],
    "dust",
  );
  expect(maps.map((m) => m.map)).toEqual(["mask", "packed", "packed"]);
  expect(maps[0]).toEqual({ map: "mask", mask: "edges" });
  expect(maps[1]).toMatchObject({ name: "two", red: null, green: "edges" });
  expect(maps[2]).toBe(other);
});

test("a term that shows no range keeps every grey of its signal", () => {
  const signals = ["paint", "mask", "facing"].map((kind) => ({ kind, range: [0, 1] }));
  const choices = { signals, open_end: 1e6 } as unknown as MaskChoices;
  const ends = (term: ReturnType<typeof freshTerm>) => [...term.from, ...term.to];
  expect(ends(freshTerm({ kind: "paint", strokes: [] }, choices))).toEqual([0, 1, 1, 1]);
  expect(ends(freshTerm({ kind: "mask", mask: "dust" }, choices))).toEqual([0, 1, 1, 1]);
  expect(ends(freshTerm({ kind: "facing", direction: [0, 1, 0] }, choices))).toEqual([0.55, 0.65, 1, 1]);
});

test("time left follows from what is done, once enough is", () => {
  expect(secondsLeft(null, 5000)).toBeNull();
  expect(secondsLeft(0.01, 5000)).toBeNull();
  expect(secondsLeft(0.25, 2000)).toBe(6);
  expect(secondsLeft(0.99, 1000)).toBe(1);
});

test("a look leaves out finishes where they only bend a map", () => {
  const recipe = { asset: "stone", finishes: [{ name: "granite" }] } as unknown as Recipe;
  for (const map of ["normal", "displacement", "ao"]) expect(forLook(recipe, map).finishes, map).toEqual([]);
  expect(forLook(recipe, "base-color")).toBe(recipe);
  expect(recipe.finishes).toHaveLength(1);
});
