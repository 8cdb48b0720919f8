// The layout as a picture: triangles filled with their colours, on a transparent sheet. Also which triangles of a finding lie on
// a sheet, and where pairs' numbers stand on it.
import type { PairView } from "../api/types";
import type { MeshData } from "../model/mesh-data";
import type { Sheets } from "../model/sheets";

const SIDE = 2048;

/** Corners of a triangle on a sheet, in its unit square; null when it lies on another. */
function cornersOn(data: MeshData, sheets: Sheets | null, sheet: number, triangle: number): number[] | null {
  const uv = data.floats("uv");
  if (!uv || (sheets && sheets.of[triangle] !== sheet)) return null;
  const [left, bottom] = sheets?.corners[sheet] ?? [0, 0];
  return Array.from(uv.subarray(triangle * 6, triangle * 6 + 6), (x, i) => x - (i % 2 === 0 ? left : bottom));
}

export function paintLayout(
  data: MeshData,
  sheets: Sheets | null,
  sheet: number,
  tints: Uint8Array,
): HTMLCanvasElement | null {
  const canvas = document.createElement("canvas");
  canvas.width = SIDE;
  canvas.height = SIDE;
  const context = canvas.getContext("2d");
  if (!context) return null;
  const hatch = hatching(context);
  for (let t = 0; t * 4 < tints.length; t++) {
    const c = cornersOn(data, sheets, sheet, t);
    if (!c) continue;
    context.beginPath();
    for (let i = 0; i < 6; i += 2) context.lineTo((c[i] ?? 0) * SIDE, (1 - (c[i + 1] ?? 0)) * SIDE);
    context.closePath();
    context.fillStyle = `rgb(${tints[t * 4]} ${tints[t * 4 + 1]} ${tints[t * 4 + 2]})`;
    // A hair of stroke closes the cracks between neighbours.
    context.strokeStyle = context.fillStyle;
    context.fill();
    context.stroke();
    if (tints[t * 4 + 3] === 255 && hatch) {
      context.fillStyle = hatch;
      context.fill();
    }
  }
  return canvas;
}

function hatching(context: CanvasRenderingContext2D): CanvasPattern | null {
  const tile = document.createElement("canvas");
  tile.width = 24;
  tile.height = 24;
  const lines = tile.getContext("2d");
  if (!lines) return null;
  lines.strokeStyle = "rgb(0 0 0 / 0.5)";
  lines.lineWidth = 7;
  for (const shift of [-24, 0, 24]) {
    lines.moveTo(shift - 4, -4);
    lines.lineTo(shift + 28, 28);
  }
  lines.stroke();
  return context.createPattern(tile, "repeat");
}

/** UVs of those of the triangles that lie on a sheet. */
export function trianglesOn(
  data: MeshData,
  sheets: Sheets | null,
  sheet: number,
  triangles: readonly number[],
): Float32Array {
  return new Float32Array(triangles.flatMap((t) => cornersOn(data, sheets, sheet, t) ?? []));
}

/** Ends of lines between corners of the low-poly, four numbers a line. */
export function linesOn(
  data: MeshData,
  sheets: Sheets | null,
  sheet: number,
  ends: Uint32Array,
): Float32Array {
  const lines: number[] = [];
  for (let i = 0; i + 1 < ends.length; i += 2) {
    const [a, b] = [ends[i] ?? 0, ends[i + 1] ?? 0];
    const corners = cornersOn(data, sheets, sheet, Math.floor(a / 3));
    if (corners) for (const c of [a % 3, b % 3]) lines.push(corners[c * 2] ?? 0, corners[c * 2 + 1] ?? 0);
  }
  return new Float32Array(lines);
}

export interface SheetBadge {
  number: number;
  uv: [number, number];
}

/** Where the number of each pair stands: in the middle of the largest triangle of its part on the sheet. */
export function badgePlaces(
  data: MeshData,
  pairs: PairView[],
  sheets: Sheets | null,
  sheet: number,
): SheetBadge[] {
  if (pairs.length < 2) return [];
  return pairs.flatMap((pair) => {
    const part = data.header.parts.find((p) => p.name === pair.low);
    let best: { area: number; uv: [number, number] } | null = null;
    for (let t = (part?.start ?? 0) / 3; t < ((part?.start ?? 0) + (part?.count ?? 0)) / 3; t++) {
      const c = cornersOn(data, sheets, sheet, t);
      if (!c) continue;
      const [ax = 0, ay = 0, bx = 0, by = 0, cx = 0, cy = 0] = c;
      const area = Math.abs((bx - ax) * (cy - ay) - (by - ay) * (cx - ax));
      if (area > (best?.area ?? 0)) best = { area, uv: [(ax + bx + cx) / 3, (ay + by + cy) / 3] };
    }
    return best ? [{ number: pair.number, uv: best.uv }] : [];
  });
}
