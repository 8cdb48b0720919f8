// How held islands are drawn on the sheet: the box with its handles, and where they will lie.
import { type Paths, trianglePaths } from "../../../stages/sheet/paths";
import type { Pen } from "../../../stages/sheet/sheet-view";
import { type Box, cornersOf, knobOf, type Move, mapOf, middleOf, type Place } from "./moves";
import type { Soft } from "./soft";

const EMBER = "#ff8c40";
/** Where they will lie: told apart from where they lie, which is lit in ember. */
const MOVED = { fill: "#f2702438", line: "#ffffff", width: 1.2 };
/** Pixels: how near to a handle the pointer holds it, half of a handle's size, and how far above the box the knob stands. */
export const NEAR = 9;
const HALF = 4;
export const KNOB = 22;

function lines(pen: Pen, places: readonly Place[], closed: boolean) {
  const { context } = pen;
  context.beginPath();
  for (const place of places) context.lineTo(...pen.at(place));
  if (closed) context.closePath();
  // Dark beneath, so that it is seen on any map.
  for (const [color, width] of [["#1d1a17b0", 3] as const, [EMBER, 1.3] as const]) {
    context.strokeStyle = color;
    context.lineWidth = width;
    context.stroke();
  }
}

/** The box around what is selected, its corners to scale by and the knob to turn by. */
export function drawGrips(pen: Pen, box: Box) {
  const { context } = pen;
  context.save();
  const corners = cornersOf(box).map(([, place]) => place);
  lines(pen, corners, true);
  const top: Place = [middleOf(box)[0], box.high[1]];
  const [x, y] = pen.at(top);
  const side = pen.at([1, 0])[0] - pen.at([0, 0])[0];
  lines(pen, [top, knobOf(box, KNOB / side)], false);
  context.fillStyle = "#ffffff";
  context.strokeStyle = "#1d1a17";
  context.lineWidth = 1.2;
  for (const corner of corners) {
    const [cx, cy] = pen.at(corner);
    context.beginPath();
    context.rect(cx - HALF, cy - HALF, 2 * HALF, 2 * HALF);
    context.fill();
    context.stroke();
  }
  context.beginPath();
  context.arc(x, y - KNOB, HALF + 1, 0, 2 * Math.PI);
  context.fill();
  context.stroke();
  context.restore();
}

/** Triangles of UV space where a move lays them. */
export function drawMoved(pen: Pen, paths: Paths, move: Move, middle: Place) {
  const [a = 1, b = 0, c = 0, d = 1, u = 0, v = 0] = mapOf(move, middle);
  // Paths have v turned down, 1 - v, on both sides of the map.
  pen.path(paths, MOVED, new DOMMatrix([a, -b, -c, d, c + u, 1 - d - v]));
}

export function drawSoft(pen: Pen, soft: Soft) {
  pen.path(trianglePaths(soft.shown()), MOVED);
}
