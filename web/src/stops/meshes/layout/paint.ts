// The layout as a picture: triangles filled with their colours, on a transparent sheet, and the borders of islands over it.
import type { MeshData } from "../../../stages/mesh-data";
import { cornersOn, type Sheets } from "../../../stages/sheets";

const SIDE = 2048;

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

/** Ends of lines between corners of the low-poly, four numbers per line. */
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
