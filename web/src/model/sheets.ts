// Which sheet of a run each triangle of the low-poly lies on, by the names the report gives its sheets.
import type { Report } from "../api/types";
import type { MeshData } from "./mesh-data";

export interface Sheets {
  /** Sheet of each triangle; NOWHERE for one that lies on none. */
  of: Uint8Array;
  /** Lower left corner of each sheet in UV space. */
  corners: [number, number][];
}

export const NOWHERE = 255;

/** Null where all lies on one sheet. */
export function sheetsOf(data: MeshData, report: Report | null | undefined): Sheets | null {
  if (!report || report.sheets.length < 2) return null;
  const uv = data.floats("uv") ?? new Float32Array();
  const of = new Uint8Array(uv.length / 6).fill(NOWHERE);
  const byTile = report.recipe.sheet.layout === "udim";
  const number = (name: string) => {
    const at = report.sheets.indexOf(name);
    return at < 0 ? NOWHERE : at;
  };
  for (let t = 0; t < of.length; t++) {
    if (byTile) {
      const middle = (axis: number) =>
        Math.floor(((uv[t * 6 + axis] ?? 0) + (uv[t * 6 + 2 + axis] ?? 0) + (uv[t * 6 + 4 + axis] ?? 0)) / 3);
      of[t] = number(String(1001 + middle(0) + 10 * middle(1)));
    } else {
      of[t] = number(data.header.materials[data.materials?.[t] ?? -1] ?? "no-material");
    }
  }
  const corner = (name: string): [number, number] => {
    const tile = byTile ? Number(name) - 1001 : 0;
    return [tile % 10, Math.floor(tile / 10)];
  };
  return { of, corners: report.sheets.map(corner) };
}

/** UVs of the triangles of one sheet, moved into the unit square; all of them where there is one sheet. */
export function uvsOn(data: MeshData, sheets: Sheets | null, sheet: number): Float32Array | null {
  const uv = data.floats("uv");
  if (!uv || !sheets) return uv;
  const [left, bottom] = sheets.corners[sheet] ?? [0, 0];
  const own: number[] = [];
  for (let i = 0; i < uv.length; i++)
    if (sheets.of[Math.floor(i / 6)] === sheet) own.push((uv[i] ?? 0) - (i % 2 === 0 ? left : bottom));
  return new Float32Array(own);
}
