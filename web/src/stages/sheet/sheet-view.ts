// Draws the sheet: pans, zooms to the cursor, keeps texels square and sharp, and lays what layers draw over them.

import { drawsInSoftware } from "../model/drawing";
import type { Channel } from "../view";
import { edgePaths, type Paths } from "./paths";
import type { SheetPicture } from "./picture";

/** What draws on a canvas; without a graphics card straight in memory, where paths are drawn much faster than by what stands in for one. */
function contextOf(canvas: HTMLCanvasElement): CanvasRenderingContext2D {
  const context = canvas.getContext("2d", { willReadFrequently: drawsInSoftware() });
  if (!context) throw new Error("This browser has no 2D canvas.");
  return context;
}

const MARGIN_TOP = 44;
const MARGIN = 14;
/** Twentieths of a second that a picture waits for what it shows. */
const MOST_WAITS = 200;

/** Draws on the sheet in UV space: paths keep their width in pixels at any zoom. */
export interface Pen {
  readonly context: CanvasRenderingContext2D;
  path: (path: Path2D | Paths, look: PathLook, move?: DOMMatrix) => void;
  /** Where a place of the sheet lies on the canvas, in pixels. */
  at: (uv: readonly [number, number]) => [number, number];
  /** Something else than a map lies under it. */
  readonly painted: boolean;
}

/** How a path is drawn, its line so many pixels wide. */
export interface PathLook {
  line: string;
  width: number;
  fill?: string;
}

/** A second picture of the sheet. */
export interface Other {
  image: SheetPicture;
  how: "wipe" | "beside";
  /** Where a wipe stands, 0 to 1 of the stage's width. */
  share: number;
}

export type SheetLayer = (pen: Pen) => void;

/** What takes drags that begin on the sheet. With Alt, or by the middle button, a drag moves it all the same. */
export interface SheetHand {
  /** It takes places beside the sheet, too. */
  readonly beside?: true;
  /** The stages do not point at places while it drags. */
  readonly quiet?: true;
  /** False where there is nothing to take hold of: the drag moves the sheet. */
  press: (uv: readonly [number, number], e: PointerEvent) => boolean;
  /** Null beside the sheet, unless it takes places there. */
  drag: (uv: readonly [number, number] | null, e: PointerEvent) => void;
  release: () => void;
}

export class SheetView {
  private readonly context: CanvasRenderingContext2D;
  private readonly watch: ResizeObserver;
  private image: SheetPicture | null = null;
  private size = 0;
  private other: Other | null = null;
  /** Pixels that the sheet is moved to the right by while one of two halves is drawn; for what is asked in between, the left one's. */
  private moved = 0;
  private wires: Paths | null = null;
  /** A picture of the layout in place of the map. */
  private painting: HTMLCanvasElement | null = null;
  private readonly layers = new Set<SheetLayer>();
  /** What follows a drag, over all the rest; and the rest as it was drawn last, while nothing of it changes. */
  private floating: SheetLayer | null = null;
  private still: HTMLCanvasElement | null = null;
  private readonly drawn = new Set<() => void>();
  /** What takes drags, and what took the one that is under way. */
  private hand: SheetHand | null = null;
  private held: SheetHand | null = null;
  private channel: Channel = "all";
  private showWires = false;
  /** Pixels a side of the whole sheet, and where its top left lies. */
  private side = 0;
  private x = 0;
  private y = 0;
  private fitted = true;
  /** The sheet is repeated around itself. */
  private tiled = false;
  /** Everything in view was there when it was drawn last. */
  private whole = true;
  private asked = 0;
  private readonly end = new AbortController();

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly onZoom: (pixelsPerTexel: number) => void,
  ) {
    this.context = contextOf(canvas);
    this.watch = new ResizeObserver(() => (this.fitted ? this.fit() : this.draw()));
    this.watch.observe(canvas);
    const on = { signal: this.end.signal };
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false, signal: this.end.signal });
    canvas.addEventListener(
      "pointerdown",
      (e) => {
        canvas.setPointerCapture(e.pointerId);
        const uv = this.hand && this.placeFor(this.hand, e);
        if (!this.hand || !uv || e.altKey || e.button !== 0) return;
        if (this.hand.press(uv, e)) this.held = this.hand;
      },
      on,
    );
    const release = () => {
      this.held?.release();
      this.held = null;
    };
    canvas.addEventListener("pointerup", release, on);
    canvas.addEventListener("pointercancel", release, on);
    canvas.addEventListener(
      "pointermove",
      (e) => {
        if (e.buttons === 0) return;
        if (this.held) return this.held.drag(this.placeFor(this.held, e), e);
        this.x += e.movementX;
        this.y += e.movementY;
        this.fitted = false;
        this.draw();
      },
      on,
    );
    canvas.addEventListener("dblclick", () => this.fit(), on);
    canvas.addEventListener("keydown", (e) => this.key(e), on);
  }

  dispose() {
    this.watch.disconnect();
    this.end.abort();
    cancelAnimationFrame(this.asked);
  }

  setImage(image: SheetPicture | null, size: number) {
    this.image = image;
    this.size = size;
    this.report();
    this.draw();
  }

  /** Another picture beside it: right of a line at a share of the width, or in the right half. */
  setOther(other: Other | null) {
    const wasBeside = this.other?.how === "beside";
    this.other = other;
    if (this.fitted && wasBeside !== (other?.how === "beside")) this.fit();
    else this.draw();
  }

  setUvs(uv: Float32Array | null) {
    this.wires = uv && edgePaths(uv);
    this.draw();
  }

  setPainting(painting: HTMLCanvasElement | null) {
    this.painting = painting;
    this.draw();
  }

  /** Lends drags to a hand; the answer takes them back. */
  lend(hand: SheetHand): () => void {
    this.hand = hand;
    return () => {
      if (this.hand === hand) this.hand = null;
    };
  }

  /** A hand drags that wants nothing to be pointed at. */
  get quiet(): boolean {
    return this.held?.quiet ?? false;
  }

  /** Pixels of the page along a side of the whole sheet. */
  get pixels(): number {
    return this.side;
  }

  /** Lays a layer over the sheet; the answer takes it off. */
  add(layer: SheetLayer): () => void {
    this.layers.add(layer);
    this.draw();
    return () => {
      this.layers.delete(layer);
      this.draw();
    };
  }

  /** Draws a layer over all the rest, again and again, without drawing the rest anew. Null ends it. */
  float(layer: SheetLayer | null) {
    if (layer === null && this.floating === null) return;
    this.floating = layer;
    if (layer === null) this.still = null;
    this.ask();
  }

  /** Hears after every drawing, where markers in the page have to follow; the answer ends it. */
  onDraw(listener: () => void): () => void {
    this.drawn.add(listener);
    return () => {
      this.drawn.delete(listener);
    };
  }

  show(channel: Channel, wires: boolean, tiled: boolean) {
    const turns = this.tiled !== tiled;
    this.channel = channel;
    this.showWires = wires;
    this.tiled = tiled;
    if (turns && this.fitted) this.fit();
    else this.draw();
  }

  /** The stage as a picture of so many pixels across; clear beside the sheet. */
  async capture(width: number): Promise<HTMLCanvasElement> {
    const [w, h] = [this.canvas.clientWidth, this.canvas.clientHeight];
    const into = document.createElement("canvas");
    const context = contextOf(into);
    const ratio = width / Math.max(1, w);
    into.width = width;
    into.height = Math.round(h * ratio);
    // Squares come by and by.
    for (let tries = 0; tries < MOST_WAITS; tries++) {
      this.drawOn(context, w, h, ratio);
      if (this.whole) break;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    return into;
  }

  /** Where a place of the sheet lies on the canvas, in pixels of the page. */
  at([u, v]: readonly [number, number]): [number, number] {
    return [this.x + this.moved + u * this.side, this.y + (1 - v) * this.side];
  }

  fit() {
    const [w, h] = [this.canvas.clientWidth, this.canvas.clientHeight];
    const room = this.other?.how === "beside" ? w / 2 : w;
    // Of its repeats the nearer halves are seen.
    const parts = this.tiled ? 2 : 1;
    this.side = Math.max(16, Math.min(room - 2 * MARGIN, h - MARGIN_TOP - MARGIN) / parts);
    this.x = (w - this.side) / 2;
    this.y = MARGIN_TOP + (h - MARGIN_TOP - MARGIN - this.side) / 2;
    this.fitted = true;
    this.report();
    this.draw();
  }

  /** UV under a place of the window, or null off the sheet. */
  uvAt(clientX: number, clientY: number): [number, number] | null {
    const box = this.canvas.getBoundingClientRect();
    const across = clientX - box.left;
    const moved = this.other?.how === "beside" ? (across < box.width / 2 ? -1 : 1) * (box.width / 4) : 0;
    const u = (across - moved - this.x) / this.side;
    const v = 1 - (clientY - box.top - this.y) / this.side;
    const repeats = this.tiled && u >= -1 && u < 2 && v > -1 && v <= 2;
    if (repeats) return [u - Math.floor(u), v - Math.ceil(v) + 1];
    return u >= 0 && u < 1 && v > 0 && v <= 1 ? [u, v] : null;
  }

  /** The same, on the sheet or beside it. */
  placeAt(clientX: number, clientY: number): [number, number] {
    const box = this.canvas.getBoundingClientRect();
    return [(clientX - box.left - this.x) / this.side, 1 - (clientY - box.top - this.y) / this.side];
  }

  private placeFor(hand: SheetHand, { clientX, clientY }: PointerEvent) {
    return hand.beside ? this.placeAt(clientX, clientY) : this.uvAt(clientX, clientY);
  }

  /** Arrows move, plus and minus zoom to the middle, 0 fits. */
  private key(e: KeyboardEvent) {
    // With Shift they move the cursor.
    if (e.shiftKey && e.key.startsWith("Arrow")) return;
    const moves: Record<string, [number, number]> = {
      ArrowLeft: [40, 0],
      ArrowRight: [-40, 0],
      ArrowUp: [0, 40],
      ArrowDown: [0, -40],
    };
    const move = moves[e.key];
    const [w, h] = [this.canvas.clientWidth, this.canvas.clientHeight];
    if (move) {
      this.x += move[0];
      this.y += move[1];
      this.fitted = false;
      this.draw();
    } else if (e.key === "+" || e.key === "=") this.zoom(1.25, w / 2, h / 2);
    else if (e.key === "-") this.zoom(0.8, w / 2, h / 2);
    else if (e.key === "0") this.fit();
    else return;
    e.preventDefault();
  }

  private wheel(e: WheelEvent) {
    e.preventDefault();
    const box = this.canvas.getBoundingClientRect();
    // A pinch comes as a wheel with Ctrl and small steps; lines come from old mice.
    const step = e.deltaMode === 1 ? e.deltaY * 16 : e.deltaY;
    this.zoom(Math.exp(-step * (e.ctrlKey ? 0.01 : 0.0016)), e.clientX - box.left, e.clientY - box.top);
  }

  private zoom(by: number, cx: number, cy: number) {
    const most = Math.max(1, this.size) * 96;
    const side = Math.min(most, Math.max(64, this.side * by));
    this.x = cx - ((cx - this.x) / this.side) * side;
    this.y = cy - ((cy - this.y) / this.side) * side;
    this.side = side;
    this.fitted = false;
    this.report();
    this.draw();
  }

  private report() {
    this.onZoom(this.size > 0 ? this.side / this.size : 1);
  }

  private draw() {
    this.still = null;
    this.ask();
  }

  private ask() {
    cancelAnimationFrame(this.asked);
    this.asked = requestAnimationFrame(() => this.drawNow());
  }

  private drawNow() {
    const { canvas } = this;
    const ratio = Math.min(2, window.devicePixelRatio);
    const [w, h] = [canvas.clientWidth, canvas.clientHeight];
    if (canvas.width !== Math.round(w * ratio) || canvas.height !== Math.round(h * ratio)) {
      canvas.width = Math.round(w * ratio);
      canvas.height = Math.round(h * ratio);
    }
    if (this.floating) this.drawFloating(this.floating, w, h, ratio);
    else this.drawOn(this.context, w, h, ratio);
    // What is on the canvas, and whether all of it that is in view.
    canvas.dataset.drawn = this.image?.address ?? "";
    canvas.dataset.whole = String(this.whole);
    for (const listener of this.drawn) listener();
  }

  private drawFloating(layer: SheetLayer, w: number, h: number, ratio: number) {
    const { context, canvas } = this;
    if (!this.still) {
      this.drawOn(context, w, h, ratio);
      const still = document.createElement("canvas");
      still.width = canvas.width;
      still.height = canvas.height;
      contextOf(still).drawImage(canvas, 0, 0);
      this.still = still;
    } else {
      context.setTransform(1, 0, 0, 1, 0, 0);
      context.clearRect(0, 0, canvas.width, canvas.height);
      context.drawImage(this.still, 0, 0);
      context.setTransform(ratio, 0, 0, ratio, 0, 0);
    }
    layer(this.pen(context));
  }

  private pen(context: CanvasRenderingContext2D): Pen {
    return {
      context,
      path: (path, look, move) => this.onSheet(context, path, look, move),
      at: (uv) => this.at(uv),
      painted: this.painting !== null,
    };
  }

  private drawOn(context: CanvasRenderingContext2D, w: number, h: number, ratio: number) {
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, w, h);
    this.whole = true;
    const beside = this.other?.how === "beside";
    // Beside each other, each has a half with its middle where the whole stage has its own.
    const halves = beside ? ([-w / 4, w / 4] as const) : ([0] as const);
    for (const moved of halves) {
      context.save();
      if (beside) {
        context.beginPath();
        context.rect(moved < 0 ? 0 : w / 2, 0, w / 2, h);
        context.clip();
      }
      this.moved = moved;
      this.drawSheet(context, w, h, ratio);
      context.restore();
    }
    this.moved = halves[0];
  }

  /** The sheet as it lies, with what layers draw over it. */
  private drawSheet(context: CanvasRenderingContext2D, w: number, h: number, ratio: number) {
    const { other } = this;
    const left = this.x + this.moved;
    context.fillStyle = "#686868";
    context.fillRect(left, this.y, this.side, this.side);
    if (this.painting) {
      context.imageSmoothingEnabled = true;
      context.imageSmoothingQuality = "high";
      context.drawImage(this.painting, left, this.y, this.side, this.side);
    } else if (this.image) {
      const at = other?.how === "wipe" ? other.share * w : w;
      const right = other?.how === "beside" && this.moved > 0;
      const draw = (image: SheetPicture, from: number, to: number) =>
        this.drawImage(context, image, [from, to], [w, h], ratio);
      draw(right ? other.image : this.image, 0, at);
      if (other?.how === "wipe") draw(other.image, at, w);
    }
    context.strokeStyle = "#4c4c4c";
    context.lineWidth = 1;
    context.strokeRect(left - 0.5, this.y - 0.5, this.side + 1, this.side + 1);
    const pen = this.pen(context);
    if (this.showWires && this.wires)
      pen.path(this.wires, { line: pen.painted ? "#00000070" : "#ffffffa0", width: 1 });
    for (const layer of this.layers) layer(pen);
  }

  /** A picture between two places along the width of the stage. */
  private drawImage(
    context: CanvasRenderingContext2D,
    image: SheetPicture,
    [from, to]: readonly [number, number],
    room: readonly [number, number],
    ratio: number,
  ) {
    context.save();
    context.beginPath();
    context.rect(from, 0, to - from, room[1]);
    context.clip();
    context.filter = this.channel === "all" ? "none" : `url(#channel-${this.channel})`;
    const around = this.tiled ? [-1, 0, 1] : [0];
    for (const down of around)
      for (const across of around) {
        const place = {
          left: this.x + this.moved + across * this.side,
          top: this.y + down * this.side,
          side: this.side,
        };
        const whole = image.draw(context, place, room, ratio, () => this.draw());
        this.whole &&= whole;
      }
    context.restore();
  }

  /** Draws paths of UV space, moved if need be, with lines of the same width at any zoom. */
  private onSheet(context: CanvasRenderingContext2D, path: Path2D | Paths, look: PathLook, move?: DOMMatrix) {
    context.save();
    context.translate(this.x + this.moved, this.y);
    context.scale(this.side, this.side);
    if (move) context.transform(move.a, move.b, move.c, move.d, move.e, move.f);
    const larger = move ? Math.sqrt(Math.abs(move.a * move.d - move.b * move.c)) : 1;
    context.lineWidth = look.width / (this.side * Math.max(1e-6, larger));
    context.strokeStyle = look.line;
    const paths = path instanceof Path2D ? [path] : path;
    if (look.fill) {
      context.fillStyle = look.fill;
      for (const piece of paths) context.fill(piece);
    }
    for (const piece of paths) context.stroke(piece);
    context.restore();
  }
}
