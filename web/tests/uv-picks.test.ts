import { describe, expect, it } from "vitest";
import type { MeshData } from "../src/stages/mesh-data";
import { cornerAt, endsOf, islandsOf, sideAt } from "../src/stops/meshes/uvs/picks";

/** Two triangles of the unit square in x and y, each an island of its own. */
const square = {
  floats: (name: string) =>
    name === "position" ? new Float32Array([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 0, 0, 1, 1, 0, 0, 1, 0]) : null,
  uints: (name: string) => (name === "island" ? new Uint32Array([0, 1]) : null),
} as unknown as MeshData;

describe("what a click at the UVs means", () => {
  it("is the side next to it", () => {
    expect(sideAt(square, 0, [0.5, 0.05, 0])).toBe(0);
    expect(sideAt(square, 0, [0.95, 0.5, 0])).toBe(1);
    expect(sideAt(square, 1, [0.4, 0.45, 0])).toBe(3);
    expect(sideAt(square, 1, [0.05, 0.5, 0])).toBe(5);
    expect(sideAt(square, 2, [0, 0, 0])).toBeNull();
  });
  it("is the corner next to it", () => {
    expect(cornerAt(square, 0, [0.9, 0.1, 0])).toBe(1);
    expect(cornerAt(square, 1, [0.1, 0.8, 0])).toBe(5);
  });
  it("is all of an island", () => {
    expect(islandsOf(square, [1])).toEqual([1]);
    expect(islandsOf(square, [0, 1])).toEqual([0, 1]);
  });
  it("has both ends of a side, the last side's at its first corner", () => {
    expect([...endsOf([0, 5])]).toEqual([0, 1, 5, 3]);
  });
});
