// Where pairs' numbers stand on the sheet.
import type { PairView } from "../../api/types";
import type { MeshData } from "../../stages/mesh-data";
import type { Pen } from "../../stages/sheet/sheet-view";
import { cornersOn, type Sheets } from "../../stages/sheets";

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

const TALL = 18;
const halfOf = (number: number) => (number > 99 ? 13 : 10);

/** Those of some numbers that have room where they stand on the canvas, first come first served: zooming in makes room for more. */
export function withRoom(places: readonly SheetBadge[], at: Pen["at"]): SheetBadge[] {
  const taken: [number, number, number][] = [];
  return places.filter(({ number, uv }) => {
    const [x, y] = at(uv);
    const half = halfOf(number);
    const free = taken.every(
      ([ox, oy, other]) => Math.abs(x - ox) >= half + other || Math.abs(y - oy) >= TALL,
    );
    if (free) taken.push([x, y, half]);
    return free;
  });
}

/** Draws a pair's number in its box. */
export function drawBadge({ context, at }: Pen, { number, uv }: SheetBadge) {
  const [x, y] = at(uv);
  context.fillStyle = "#f6f4f0";
  context.strokeStyle = "#2a2622";
  context.lineWidth = 1.2;
  context.beginPath();
  const half = halfOf(number);
  context.roundRect(x - half, y - TALL / 2, 2 * half, TALL, 3);
  context.fill();
  context.stroke();
  context.fillStyle = "#2a2622";
  context.font = "600 12px 'Spline Sans Mono Variable', monospace";
  context.textAlign = "center";
  context.textBaseline = "middle";
  context.fillText(String(number), x, y + 1);
}
