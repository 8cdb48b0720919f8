// A picture of a sheet as it is drawn: from a copy of about the size it is drawn at, and of a map too large to be unpacked whole from the
// squares that are in view, over a copy of all of it until they are there.

/** Texels along the side of a square. */
const SQUARE = 256;
/** Squares that are held, and that are asked for at once. */
const [MOST_HELD, AT_ONCE] = [320, 8];
/** Pictures smaller than this are drawn as they are. */
const LEAST_COPIED = 512;

export interface Squares {
  /** Texels per side of each level, the full size first. */
  sides: readonly number[];
  url: (level: number, column: number, row: number) => string;
}

/** Where a sheet lies on a canvas, in pixels of the page: its left and top, and how long a side of it is. */
export interface Place {
  left: number;
  top: number;
  side: number;
}

/** The squares that were drawn lately, by address, and those that are on their way. */
const held = new Map<string, HTMLImageElement>();
const asked = new Set<string>();

/** A square, if it is there; else it is asked for, unless enough are. */
function square(url: string, onCame: () => void): HTMLImageElement | null {
  const known = held.get(url);
  if (known) {
    held.delete(url);
    held.set(url, known);
    return known;
  }
  if (asked.has(url) || asked.size >= AT_ONCE) return null;
  asked.add(url);
  const image = new Image();
  image.src = url;
  image
    .decode()
    .then(() => {
      held.set(url, image);
      for (const oldest of [...held.keys()].slice(0, Math.max(0, held.size - MOST_HELD))) held.delete(oldest);
    })
    // One that cannot be had leaves the copy of the whole in its place.
    .catch(() => undefined)
    .finally(() => {
      asked.delete(url);
      onCame();
    });
  return null;
}

/** The range of squares that are in view along one side. */
function inView(start: number, span: number, room: number, across: number): [number, number] {
  const last = Math.min(across - 1, Math.floor((room - start) / span));
  return [Math.max(0, Math.floor(-start / span)), last];
}

/** Which level has a texel for each of so many pixels: the smallest that has, or the full size. */
export function levelFor(sides: readonly number[], pixels: number): number {
  const enough = sides.findLastIndex((side) => side >= pixels);
  return Math.max(0, enough);
}

export class SheetPicture {
  /** Copies, each half as wide as the one before. */
  private readonly smaller: HTMLCanvasElement[] = [];

  constructor(
    readonly image: HTMLImageElement,
    private readonly squares: Squares | null,
  ) {}

  get address(): string {
    return new URL(this.image.src).pathname;
  }

  /** Texels per side of what it is drawn from where it is drawn large. */
  get texels(): number {
    return this.squares?.sides[0] ?? this.image.naturalWidth;
  }

  /** The smallest copy that has a texel for each of so many pixels. */
  private copyFor(pixels: number): HTMLImageElement | HTMLCanvasElement {
    let copy: HTMLImageElement | HTMLCanvasElement = this.image;
    let wide = this.image.naturalWidth;
    for (let i = 0; wide / 2 >= pixels && wide >= LEAST_COPIED; i++, wide /= 2) {
      copy = this.smaller[i] ??= halved(copy, Math.round(wide / 2));
    }
    return copy;
  }

  /** Draws it where the sheet lies. True when all that is in view was there; else `onCame` hears when there is more. */
  draw(
    context: CanvasRenderingContext2D,
    { left, top, side }: Place,
    [width, height]: readonly [number, number],
    ratio: number,
    onCame: () => void,
  ): boolean {
    const pixels = side * ratio;
    context.imageSmoothingEnabled = pixels < this.texels;
    context.imageSmoothingQuality = "medium";
    context.drawImage(this.copyFor(pixels), left, top, side, side);
    if (!this.squares || pixels <= this.image.naturalWidth) return true;
    const { sides, url } = this.squares;
    const level = levelFor(sides, pixels);
    const texels = sides[level] ?? 1;
    const across = Math.ceil(texels / SQUARE);
    const span = (SQUARE / texels) * side;
    // Edges lie on whole pixels, or a line of what is beneath would show between two squares.
    const edge = (from: number, texel: number) =>
      Math.round((from + (Math.min(texels, texel) / texels) * side) * ratio) / ratio;
    const [firstRow, lastRow] = inView(top, span, height, across);
    const [firstColumn, lastColumn] = inView(left, span, width, across);
    let whole = true;
    for (let row = firstRow; row <= lastRow; row++)
      for (let column = firstColumn; column <= lastColumn; column++) {
        const image = square(url(level, column, row), onCame);
        whole &&= image !== null;
        if (!image) continue;
        const [x, y] = [edge(left, column * SQUARE), edge(top, row * SQUARE)];
        const [right, below] = [edge(left, (column + 1) * SQUARE), edge(top, (row + 1) * SQUARE)];
        context.drawImage(image, x, y, right - x, below - y);
      }
    return whole;
  }
}

/** Two by two texels become one. */
function halved(from: HTMLImageElement | HTMLCanvasElement, wide: number): HTMLCanvasElement {
  const copy = document.createElement("canvas");
  copy.width = wide;
  copy.height = wide;
  const context = copy.getContext("2d");
  if (context) {
    context.imageSmoothingQuality = "medium";
    context.drawImage(from, 0, 0, wide, wide);
  }
  return copy;
}
