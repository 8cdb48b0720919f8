// What each stage shows, as a picture of any size. A stage lends the way to make one for as long as it is there.
import { useEffect } from "react";

export type Stage = "model" | "sheet";
/** Makes a picture so many pixels wide, clear where nothing is shown. */
export type Capture = (width: number) => Promise<HTMLCanvasElement>;

const captures = new Map<Stage, Capture>();

export function useCapture(stage: Stage, capture: Capture | null) {
  useEffect(() => {
    if (!capture) return;
    captures.set(stage, capture);
    return () => {
      if (captures.get(stage) === capture) captures.delete(stage);
    };
  }, [stage, capture]);
}

/** A stage as a PNG file, and how wide it came; on the stages' grey unless it is to be clear. */
export async function captured(
  stage: Stage,
  width: number,
  clear: boolean,
): Promise<{ file: Blob; width: number }> {
  const capture = captures.get(stage);
  if (!capture)
    throw new Error(`The ${stage} stage is not on screen. Show it (keys 1 to 3), then save again.`);
  const drawn = await capture(width);
  const picture = document.createElement("canvas");
  picture.width = drawn.width;
  picture.height = drawn.height;
  const context = picture.getContext("2d");
  if (!context) throw new Error("This browser has no 2D canvas.");
  if (!clear) {
    context.fillStyle = getComputedStyle(document.documentElement).getPropertyValue("--stage") || "#757575";
    context.fillRect(0, 0, picture.width, picture.height);
  }
  context.drawImage(drawn, 0, 0);
  const file = await new Promise<Blob | null>((resolve) => picture.toBlob(resolve, "image/png"));
  if (!file) throw new Error(`No picture of ${width} pixels could be made; try a smaller one.`);
  return { file, width: picture.width };
}
