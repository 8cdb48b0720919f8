// What a click on a stage does while stops lend it and runs come and go.
import { expect, test, vi } from "vitest";
import { clicked, useStageClick } from "../src/stages/clicks";
import type { Hover } from "../src/stages/hover";
import { draw } from "./support/page";

const place: Hover = { from: "model", uv: [0.5, 0.5], sheet: 0, point: null, part: null, triangle: 3 };
const held = { altKey: true, shiftKey: false };

function Lends({ act: lends }: { act: ((place: Hover) => void) | null }) {
  useStageClick(lends);
  return null;
}

test("the latest that lends a click has it, also when what lay below changes", async () => {
  const [below, changed, above] = [vi.fn(), vi.fn(), vi.fn()];
  const show = (first: (place: Hover) => void, second: ((place: Hover) => void) | null) =>
    draw(
      <>
        <Lends act={first} />
        <Lends act={second} />
      </>,
    );
  await show(below, above);
  clicked(place, held);
  expect(above).toHaveBeenCalledExactlyOnceWith(place, held);
  await show(changed, above);
  clicked(place, held);
  expect(above).toHaveBeenCalledTimes(2);
  expect(changed).not.toHaveBeenCalled();
  await show(changed, null);
  clicked(place, held);
  expect(changed).toHaveBeenCalledTimes(1);
  expect(below).not.toHaveBeenCalled();
});
