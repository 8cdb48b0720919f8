// A mask's picture as it lies over the sheet: its own grey, an ember tint, or the outline of its half.
import type { MaskShow } from "./state";

const EMBER = [247, 120, 51] as const;

export async function drawMask(
  url: string,
  show: Exclude<MaskShow, "off">,
): Promise<HTMLCanvasElement | null> {
  const image = new Image();
  image.src = url;
  await image.decode();
  const canvas = document.createElement("canvas");
  const [w, h] = [image.naturalWidth, image.naturalHeight];
  canvas.width = w;
  canvas.height = h;
  const context = canvas.getContext("2d", { willReadFrequently: show !== "grey" });
  if (!context) return null;
  context.drawImage(image, 0, 0);
  if (show === "grey") return canvas;
  const pixels = context.getImageData(0, 0, w, h);
  const grey = new Uint8Array(w * h);
  for (let i = 0; i < grey.length; i++) grey[i] = pixels.data[i * 4] ?? 0;
  const inside = (i: number) => (grey[i] ?? 0) > 127;
  for (let i = 0; i < grey.length; i++) {
    let alpha = (grey[i] ?? 0) * 0.75;
    if (show === "outline") {
      const [x, y] = [i % w, Math.floor(i / w)];
      const differs =
        (x + 1 < w && inside(i) !== inside(i + 1)) || (y + 1 < h && inside(i) !== inside(i + w));
      alpha = differs ? 255 : 0;
    }
    pixels.data.set([...EMBER, alpha], i * 4);
  }
  context.putImageData(pixels, 0, 0);
  return canvas;
}
