// Display meshes as they come over the wire: a length, a JSON header, then plain arrays.
import type { DisplayHeader } from "../api/types";
import type { Sheets } from "./sheets";

export interface MeshData {
  header: DisplayHeader;
  floats: (name: string) => Float32Array | null;
  uints: (name: string) => Uint32Array | null;
  bytes: (name: string) => Uint8Array | null;
  colors: Uint8Array | null;
  /** Number in the header's materials, one per triangle. */
  materials: Uint32Array | null;
  index: Uint32Array;
  /** A large sculpt with fewer faces, for while it turns: indices, and first and count of each part. */
  rough: { index: Uint32Array; parts: Uint32Array } | null;
}

/** Joins stretches of an index. */
function joined(index: Uint32Array, stretches: readonly (readonly [number, number])[]) {
  const kept = new Uint32Array(stretches.reduce((n, [, count]) => n + count, 0));
  let at = 0;
  for (const [start, count] of stretches) {
    kept.set(index.subarray(start, start + count), at);
    at += count;
  }
  return kept;
}

/** Indices of the parts that are not hidden. */
export function indexOf(data: MeshData, hidden: ReadonlySet<string>) {
  const shown = data.header.parts.filter((p) => !hidden.has(p.name));
  if (shown.length === data.header.parts.length) return data.index;
  return joined(
    data.index,
    shown.map((p) => [p.start, p.count]),
  );
}

/** The same of the rough stand-in. */
export function roughOf({ header, rough }: MeshData, hidden: ReadonlySet<string>) {
  if (!rough) return new Uint32Array();
  const places = header.parts.map(
    (p, i) => [p.name, rough.parts[i * 2] ?? 0, rough.parts[i * 2 + 1] ?? 0] as const,
  );
  return joined(
    rough.index,
    places.filter(([name]) => !hidden.has(name)).map(([, start, count]) => [start, count]),
  );
}

/** Arrays behind a header. */
export function readArrays<H extends { arrays: DisplayHeader["arrays"] }>(buffer: ArrayBuffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length))) as H;
  const start = 4 + length;
  const find = (name: string) => header.arrays.find((a) => a.name === name);
  const floats = (name: string) => {
    const array = find(name);
    return array ? new Float32Array(buffer, start + array.offset, array.length / 4) : null;
  };
  const uints = (name: string) => {
    const array = find(name);
    return array ? new Uint32Array(buffer, start + array.offset, array.length / 4) : null;
  };
  const bytes = (name: string) => {
    const array = find(name);
    return array ? new Uint8Array(buffer, start + array.offset, array.length) : null;
  };
  return { header, floats, uints, bytes };
}

export function readMesh(buffer: ArrayBuffer): MeshData {
  const { header, floats, uints, bytes } = readArrays<DisplayHeader>(buffer);
  const [rough, roughParts] = [uints("rough"), uints("rough_parts")];
  const index = uints("index");
  if (!index) throw new Error("The mesh came without faces; reload the page.");
  return {
    header,
    floats,
    uints,
    bytes,
    colors: bytes("color"),
    materials: uints("material"),
    index,
    rough: rough && roughParts ? { index: rough, parts: roughParts } : null,
  };
}

export interface Found {
  point: [number, number, number];
  part: string;
  triangle: number;
}

/** Name of the part that a place of the index belongs to; empty where none does. */
export const partAt = ({ header }: MeshData, index: number): string =>
  header.parts.find((p) => index >= p.start && index < p.start + p.count)?.name ?? "";

/** Finds the low-poly triangle under a UV point, and the point of the model there. */
export class UvFinder {
  private readonly uv: Float32Array;
  private readonly position: Float32Array;

  /** Without `sheets` all triangles count, and UVs as they are; with them those that lie on the sheet asked for. */
  constructor(
    private readonly data: MeshData,
    private readonly sheets: Sheets | null = null,
  ) {
    this.uv = data.floats("uv") ?? new Float32Array();
    this.position = data.floats("position") ?? new Float32Array();
  }

  /** What lies at a place of a sheet, u and v from 0 to 1. */
  find(onU: number, onV: number, sheet = 0): Found | null {
    const { uv, position, sheets } = this;
    const [left, bottom] = sheets?.corners[sheet] ?? [0, 0];
    const [u, v] = [onU + left, onV + bottom];
    for (let i = 0; i + 5 < uv.length; i += 6) {
      if (sheets && sheets.of[i / 6] !== sheet) continue;
      const [ax, ay, bx, by, cx, cy] = uv.subarray(i, i + 6) as unknown as [
        number,
        number,
        number,
        number,
        number,
        number,
      ];
      const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
      if (area === 0) continue;
      const wb = ((u - ax) * (cy - ay) - (v - ay) * (cx - ax)) / area;
      const wc = ((bx - ax) * (v - ay) - (by - ay) * (u - ax)) / area;
      if (wb < 0 || wc < 0 || wb + wc > 1) continue;
      const corner = (i / 6) * 9;
      const at = (axis: number) => {
        const p = (k: number) => position[corner + k * 3 + axis] ?? 0;
        return p(0) * (1 - wb - wc) + p(1) * wb + p(2) * wc;
      };
      return { point: [at(0), at(1), at(2)], part: partAt(this.data, i / 2), triangle: i / 6 };
    }
    return null;
  }
}
