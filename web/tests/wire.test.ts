// Meshes and envelopes as they come over the wire, and what is worked out from them, against arrays made by hand.
import * as THREE from "three";
import { expect, test, vi } from "vitest";
import { address, parse } from "../src/app/address";
import { indexOf, readMesh, roughOf } from "../src/stages/mesh-data";
import { pullCorners, setAway } from "../src/stages/model/apart";
import { Turning } from "../src/stages/model/turning";
import { badgePlaces, withRoom } from "../src/stops/pairs/sheet-badges";
import { readEnvelope } from "../src/stops/reach/envelope-data";
import { needlesOf } from "../src/stops/reach/marks";
import { stepFor } from "../src/ui/step";

type Arrays = Record<string, Float32Array | Uint32Array | Uint8Array>;

/** A length, the header as JSON padded to a multiple of four, then the arrays one after the other. */
function wire(header: object, arrays: Arrays): ArrayBuffer {
  let offset = 0;
  const listed = Object.entries(arrays).map(([name, values]) => {
    const line = { name, offset, length: values.byteLength };
    offset += Math.ceil(values.byteLength / 4) * 4;
    return line;
  });
  const text = JSON.stringify({ ...header, arrays: listed });
  const head = new TextEncoder().encode(text.padEnd(Math.ceil(text.length / 4) * 4));
  const buffer = new ArrayBuffer(4 + head.length + offset);
  new DataView(buffer).setUint32(0, head.length, true);
  const bytes = new Uint8Array(buffer);
  bytes.set(head, 4);
  for (const [i, values] of Object.values(arrays).entries())
    bytes.set(
      new Uint8Array(values.buffer, values.byteOffset, values.byteLength),
      4 + head.length + (listed[i]?.offset ?? 0),
    );
  return buffer;
}

/** Two squares of two triangles each, side by side on the sheet and two units apart in space; every corner stands by itself. */
function squares() {
  const square = [0, 0, 1, 0, 1, 1, 0, 0, 1, 1, 0, 1];
  const uv = [...square.map((c) => c / 2), ...square.map((c, i) => c / 4 + (i % 2 === 0 ? 0.5 : 0))];
  const position = [0, 2].flatMap((left) =>
    Array.from({ length: 6 }, (_, i) => [(square[i * 2] ?? 0) + left, square[i * 2 + 1] ?? 0, 0]).flat(),
  );
  const header = {
    vertices: 12,
    parts: [
      { name: "left", start: 0, count: 6 },
      { name: "right", start: 6, count: 6 },
    ],
  };
  return readMesh(
    wire(header, {
      index: Uint32Array.from({ length: 12 }, (_, i) => i),
      uv: new Float32Array(uv),
      position: new Float32Array(position),
      color: new Uint8Array([1, 2, 3]),
      rough: new Uint32Array([0, 1, 2, 6, 7, 8]),
      rough_parts: new Uint32Array([0, 3, 3, 3]),
    }),
  );
}

test("a mesh is read as it was written", () => {
  const mesh = squares();
  expect(mesh.header.parts.map((p) => p.name)).toEqual(["left", "right"]);
  expect(mesh.index.length).toBe(12);
  expect([...(mesh.colors ?? [])]).toEqual([1, 2, 3]);
  expect(mesh.floats("position")?.[18]).toBe(2);
  expect(mesh.floats("tangent")).toBeNull();
  expect(() => readMesh(wire({ parts: [] }, {}))).toThrow("without faces");
});

test("hidden parts are left out of what is drawn, and of the rough stand-in", () => {
  const mesh = squares();
  expect(indexOf(mesh, new Set())).toBe(mesh.index);
  expect([...indexOf(mesh, new Set(["left"]))]).toEqual([6, 7, 8, 9, 10, 11]);
  expect([...indexOf(mesh, new Set(["left", "right"]))]).toEqual([]);
  expect([...roughOf(mesh, new Set(["left"]))]).toEqual([6, 7, 8]);
  expect([...roughOf({ ...mesh, rough: null }, new Set())]).toEqual([]);
});

test("parts pulled apart go their ways and come back to where they were", () => {
  const mesh = squares();
  const resting = mesh.floats("position") as Float32Array;
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(resting.slice(), 3));
  geometry.setAttribute("away", new THREE.BufferAttribute(new Float32Array(36), 3));
  const ways = new Map([["right", [4, 0, -2] as const]]);
  pullCorners(geometry, mesh, resting, ways, 0.5);
  const at = (corner: number) =>
    new THREE.Vector3().fromBufferAttribute(geometry.getAttribute("position"), corner);
  expect(at(1).toArray()).toEqual([1, 0, 0]);
  expect(at(7).toArray()).toEqual([5, 0, -1]);
  expect(geometry.boundingBox?.max.x).toBe(5);
  pullCorners(geometry, mesh, resting, ways, 0);
  expect([...(geometry.getAttribute("position").array as Float32Array)]).toEqual([...resting]);
  setAway(geometry, mesh, ways);
  const away = [...(geometry.getAttribute("away").array as Float32Array)];
  expect(away.slice(0, 18).every((c) => c === 0)).toBe(true);
  expect(away.slice(18, 21)).toEqual([4, 0, -2]);
});

test("a pair's number stands inside the largest triangle of its part, on its sheet alone", () => {
  const mesh = squares();
  const pairs = [
    { number: 1, low: "left", high: [] },
    { number: 2, low: "right", high: [] },
    { number: 3, low: "gone", high: [] },
  ];
  const places = badgePlaces(mesh, pairs, null, 0);
  expect(places.map((p) => p.number)).toEqual([1, 2]);
  expect(places[0]?.uv[0]).toBeCloseTo(1 / 3, 6);
  expect(places[0]?.uv[1]).toBeCloseTo(1 / 6, 6);
  const sheets = { of: Uint8Array.from([0, 0, 1, 1]), corners: [[0, 0] as const, [0.5, 0] as const] };
  expect(badgePlaces(mesh, pairs, sheets, 1)).toHaveLength(1);
  expect(badgePlaces(mesh, pairs, sheets, 1)[0]?.uv[0]).toBeCloseTo(1 / 6, 6);
  expect(badgePlaces(mesh, pairs.slice(0, 1), null, 0), "one pair needs no number").toEqual([]);
});

test("numbers that would cover one another on the sheet wait for room", () => {
  const places = [0.1, 0.11, 0.5].map((u, i) => ({ number: i + 1, uv: [u, 0.5] as [number, number] }));
  const shown = (pixels: number) =>
    withRoom(places, ([u, v]) => [u * pixels, v * pixels]).map((p) => p.number);
  expect(shown(400)).toEqual([1, 3]);
  expect(shown(1900), "boxes 19 pixels apart are 20 wide").toEqual([1, 3]);
  expect(shown(2001)).toEqual([1, 2, 3]);
});

test("an envelope is read as it was written, and each needle ends as its fate says", () => {
  const needle = (fate: number) => [0, 0, 1, 0, 0, 0, 0, 0, -1, fate];
  const envelope = readEnvelope(
    wire(
      { diagonal: 2 },
      {
        out: new Float32Array([0.5, 0.25]),
        in: new Float32Array([0.125, 1]),
        needles: new Float32Array([...needle(0), ...needle(1)]),
      },
    ),
  );
  expect([...envelope.out, ...envelope.inward]).toEqual([0.5, 0.25, 0.125, 1]);
  expect(envelope.cage).toBeNull();
  expect(envelope.marks.length).toBe(0);
  const [lines, dots] = needlesOf(envelope, { value: 1 }).children as [THREE.LineSegments, THREE.Points];
  // A hit is one line, a miss four dashes.
  expect(lines.geometry.getAttribute("position").count).toBe(2 * (1 + 4));
  expect([...(dots.geometry.getAttribute("shape").array as Float32Array)]).toEqual([0, 1]);
  expect(dots.geometry.getAttribute("position").getZ(0)).toBe(-1);
});

test("a sculpt too slow to turn is drawn thinned until the hand rests", () => {
  vi.useFakeTimers();
  const [fine, rough] = [9, 3].map((n) => new THREE.BufferAttribute(new Uint32Array(n), 1)) as [
    THREE.BufferAttribute,
    THREE.BufferAttribute,
  ];
  const geometry = new THREE.BufferGeometry().setIndex(fine);
  const draw = vi.fn();
  const turning = new Turning(draw);
  turning.set(geometry, rough);
  const turn = (after: number) => {
    vi.advanceTimersByTime(after);
    turning.turned();
  };
  turn(5000);
  turn(16);
  expect(geometry.getIndex(), "drawing keeps up").toBe(fine);
  turn(90);
  expect(geometry.getIndex()).toBe(rough);
  turn(200);
  expect(geometry.getIndex(), "the hand has not rested yet").toBe(rough);
  vi.advanceTimersByTime(300);
  expect(geometry.getIndex()).toBe(fine);
  expect(draw).toHaveBeenCalledTimes(1);
  turn(5000);
  expect(geometry.getIndex(), "a first turn after a rest says nothing of the speed").toBe(fine);
  turning.dispose();
  vi.useRealTimers();
});

test("an address says what is open, and nonsense in one opens what there is", () => {
  for (const open of [
    { asset: 3, stop: "reach", run: 12 },
    { asset: 1, stop: "meshes", run: null },
  ]) {
    const [path, query = ""] = address(open).split("?");
    expect(parse(path ?? "", query)).toEqual(open);
  }
  expect(address({ asset: null, stop: "bake", run: 4 })).toBe("/");
  expect(parse("/", "")).toEqual({ asset: null, stop: "review", run: null });
  for (const path of ["/asset/0/bake", "/asset/-1/bake", "/asset/1e3/bake", "/thing/3/bake"])
    expect(parse(path, "run=x"), path).toEqual({ asset: null, stop: "bake", run: null });
  expect(parse("/asset/4/nowhere", "run=007").stop).toBe("review");
});

test("steps of a dragged number follow the size of what it measures", () => {
  expect(stepFor(0.0018)).toEqual({ step: 0.001, digits: 4 });
  expect(stepFor(0.5).digits).toBe(2);
  expect(stepFor(37)).toEqual({ step: 10, digits: 0 });
  expect(stepFor(0).step).toBeGreaterThan(0);
});
