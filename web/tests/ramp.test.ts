// Stops of a ramp: moved between their neighbours, added where they are clicked, spread over another signal's range.
import { describe, expect, it } from "vitest";
import { type Stop, withAdded, withMoved } from "../src/stops/finish/coats/ramp-editor";
import { spread } from "../src/stops/finish/coats/set-row";

const stops: Stop<string>[] = [
  [0, "#000000"],
  [0.5, "#808080"],
  [1, "#ffffff"],
];

describe("stops of a ramp", () => {
  it("stay between their neighbours", () => {
    expect(withMoved(stops, 1, 0.7).map(([at]) => at)).toEqual([0, 0.7, 1]);
    expect(withMoved(stops, 1, 3).map(([at]) => at)).toEqual([0, 1, 1]);
    expect(withMoved(stops, 0, -2).map(([at]) => at)).toEqual([-2, 0.5, 1]);
  });

  it("are added in their order, with the value of the nearest", () => {
    expect(withAdded(stops, 0.6)).toEqual([[stops[0], stops[1], [0.6, "#808080"], stops[2]], 2]);
    expect(withAdded(stops, 0.9)[0][2]).toEqual([0.9, "#ffffff"]);
    expect(withAdded(stops, -1)).toEqual([[[-1, "#000000"], ...stops], 0]);
    expect(withAdded(stops, 2)[1]).toBe(3);
  });

  it("go along to another range", () => {
    expect(spread(stops, [-1, 1]).map(([at]) => at)).toEqual([-1, 0, 1]);
    expect(spread([[0.3, 1]], [2, 4])).toEqual([[2, 1]]);
  });
});
