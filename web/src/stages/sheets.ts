// Which sheet of a run each triangle of the low-poly lies on, as the server tells it.
import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api } from "../api/client";
import { type ShownRun, useShownRun } from "../api/queries";
import type { MeshData } from "./mesh-data";

export interface Sheets {
  /** Sheet of each triangle; NOWHERE for one that lies on none. */
  of: Uint8Array;
  /** Lower left corner of each sheet in UV space. */
  corners: readonly (readonly [number, number])[];
}

export const NOWHERE = 255;

const hasSeveral = (run: ShownRun | null) => (run?.report?.sheets.length ?? 0) > 1;

/** Null where all of a low-poly lies on one sheet, and where the run that is looked at was baked for other triangles. */
export function useSheets(low: MeshData | null | undefined): Sheets | null {
  const run = useShownRun();
  const table = useQuery({
    queryKey: ["sheets", run?.id],
    queryFn: () => api.sheets(run?.id ?? 0),
    enabled: hasSeveral(run),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
  }).data;
  return useMemo(() => {
    if (!table || !hasSeveral(run) || !low || table.of.length * 3 !== low.header.vertices) return null;
    return { of: Uint8Array.from(table.of, (sheet) => sheet ?? NOWHERE), corners: table.corners };
  }, [table, run, low]);
}

/** Which sheet a place of a triangle lies on, NOWHERE for none, and where on it. */
export function placeOn(
  sheets: Sheets | null,
  triangle: number,
  [u, v]: readonly [number, number],
): { sheet: number; uv: [number, number] } {
  const sheet = sheets ? (sheets.of[triangle] ?? NOWHERE) : 0;
  const [left, bottom] = sheets?.corners[sheet] ?? [0, 0];
  return { sheet, uv: [u - left, v - bottom] };
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

/** Corners of a triangle on a sheet, in its unit square; null when it lies on another. */
export function cornersOn(
  data: MeshData,
  sheets: Sheets | null,
  sheet: number,
  triangle: number,
): number[] | null {
  const uv = data.floats("uv");
  if (!uv || (sheets && sheets.of[triangle] !== sheet)) return null;
  const [left, bottom] = sheets?.corners[sheet] ?? [0, 0];
  return Array.from(uv.subarray(triangle * 6, triangle * 6 + 6), (x, i) => x - (i % 2 === 0 ? left : bottom));
}

/** UVs of those of some triangles that lie on a sheet. */
export function uvsOf(
  data: MeshData,
  sheets: Sheets | null,
  sheet: number,
  triangles: readonly number[],
): Float32Array {
  return new Float32Array(triangles.flatMap((t) => cornersOn(data, sheets, sheet, t) ?? []));
}
