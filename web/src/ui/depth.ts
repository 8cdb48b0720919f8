// How a depth is called: it depends on the format.
import type { Depth, ImageFormat } from "../api/types";

export const depthLabel = (format: ImageFormat, depth: Depth): string =>
  depth === "32f" ? "32 float" : format === "exr" ? "16 half" : `${depth} bit`;
