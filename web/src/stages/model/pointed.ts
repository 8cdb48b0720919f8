// How the model stage is looked at, and what is pointed at on it.
import type { Hidden } from "../hidden";
import type { Look, Point } from "../view";

/** How the two meshes stand on the stage. */
export interface View {
  look: Look;
  /** 0..1 of the stage's width. */
  wipe: number;
  /** Unit vector in view space, towards the light. */
  light: Point;
  hidden: Hidden;
  /** How far parts are pulled along their way, 0 to 1. */
  apart: number;
}

/** What of the low-poly lies under a place of the stage. */
export interface Pointed {
  uv: [number, number];
  /** Where the model has it, however far its part is pulled away. */
  point: Point;
  triangle: number;
}
