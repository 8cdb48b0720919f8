import { expect, test } from "vitest";
import { boxOf, gripAt, type Move, mapOf, middleOf, moveOf, type Place } from "../src/stops/meshes/uvs/moves";
import { Soft } from "../src/stops/meshes/uvs/soft";

/** Two triangles over a rectangle from (0.2, 0.4) to (0.6, 0.6). */
const UV = new Float32Array([0.2, 0.4, 0.6, 0.4, 0.6, 0.6, 0.2, 0.4, 0.6, 0.6, 0.2, 0.6]);
const box = boxOf(UV, [0, 1]);
if (!box) throw new Error("there are triangles");

const near = (a: readonly number[], b: readonly number[]) => {
  a.forEach((x, i) => {
    expect(x).toBeCloseTo(b[i] ?? Number.NaN, 6);
  });
};

/** As the step does it: scaled and turned about the middle, then moved. */
function byStep({ scale, turn, by }: Move, [u, v]: Place): Place {
  const middle = middleOf(box as NonNullable<typeof box>);
  const [x, y] = [(u - middle[0]) * scale[0], (v - middle[1]) * scale[1]];
  const angle = (turn * Math.PI) / 180;
  return [
    x * Math.cos(angle) - y * Math.sin(angle) + middle[0] + by[0],
    x * Math.sin(angle) + y * Math.cos(angle) + middle[1] + by[1],
  ];
}

test("a box is held by its corners and its knob, and nowhere else", () => {
  near([...box.low, ...box.high], [0.2, 0.4, 0.6, 0.6]);
  expect(gripAt(box, [0.605, 0.398], 0.01, 0.05)).toBe("high-low");
  expect(gripAt(box, [0.4, 0.651], 0.01, 0.05)).toBe("turn");
  expect(gripAt(box, [0.4, 0.5], 0.01, 0.05)).toBeNull();
  expect(boxOf(UV, [])).toBeNull();
});

test("a corner follows the pointer and the opposite one stays", () => {
  const move = moveOf("high-high", box, [0.6, 0.6], [0.8, 0.7], false);
  near(move.scale, [1.5, 1.5]);
  near(byStep(move, [0.2, 0.4]), [0.2, 0.4]);
  near(byStep(move, [0.6, 0.6]), [0.8, 0.7]);
  const left = moveOf("low-low", box, [0.2, 0.4], [0.4, 0.5], false);
  near(byStep(left, [0.6, 0.6]), [0.6, 0.6]);
  near(byStep(left, [0.2, 0.4]), [0.4, 0.5]);
});

test("a drag past the opposite corner does not turn islands over", () => {
  expect(moveOf("high-high", box, [0.6, 0.6], [-0.5, 0], false).scale[0]).toBeGreaterThan(0);
});

test("the knob turns about the middle, the short way, and by steps with Shift", () => {
  expect(moveOf("turn", box, [0.4, 0.65], [0.25, 0.5], false).turn).toBeCloseTo(90);
  expect(moveOf("turn", box, [0.25, 0.501], [0.25, 0.499], false).turn).toBeCloseTo(0.764, 2);
  const angle = (50 * Math.PI) / 180;
  const to: Place = [0.4 - 0.15 * Math.sin(angle), 0.5 + 0.15 * Math.cos(angle)];
  expect(moveOf("turn", box, [0.4, 0.65], to, true).turn).toBe(45);
});

test("with Shift islands move along one axis", () => {
  near(moveOf("body", box, [0.3, 0.5], [0.5, 0.55], false).by, [0.2, 0.05]);
  near(moveOf("body", box, [0.3, 0.5], [0.5, 0.55], true).by, [0.2, 0]);
});

test("what is drawn is what the step does", () => {
  const move: Move = { scale: [2, -0.5], turn: 30, by: [0.1, -0.2] };
  const [a = 0, b = 0, c = 0, d = 0, u = 0, v = 0] = mapOf(move, middleOf(box));
  for (const at of [[0.2, 0.4] as const, [0.6, 0.6] as const, [0.1, 0.9] as const])
    near([a * at[0] + c * at[1] + u, b * at[0] + d * at[1] + v], byStep(move, at));
});

test("what goes along softly goes as far as it says, and no face flips", () => {
  // The corner (0.6, 0.6) goes all the way, the others stay.
  const soft = new Soft(UV, [2, 4], [1, 0.5]);
  expect(soft.triangles).toEqual([0, 1]);
  soft.move([0.1, -0.02]);
  near([...soft.moved], [0.2, 0.4, 0.6, 0.4, 0.7, 0.58, 0.2, 0.4, 0.65, 0.59, 0.2, 0.6]);
  // Straight down the first triangle is flat after 0.2: it stops at nine tenths of that.
  soft.move([0, -5]);
  near([...soft.moved.slice(4, 6)], [0.6, 0.42]);
});
