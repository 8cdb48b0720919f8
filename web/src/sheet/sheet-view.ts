// Draws the sheet: pans, zooms to the cursor, keeps texels square and sharp, lays UV wires and a cross over them.
import type { Channel } from "../state";
import type { SheetBadge } from "./layout-paint";

const MARGIN_TOP = 44;
const MARGIN = 14;

/** Triangles of UV space as one path, v turned down. */
function triangles(uv: Float32Array): Path2D {
  const path = new Path2D();
  for (let i = 0; i + 5 < uv.length; i += 6) {
    const at = (k: number): [number, number] => [uv[i + k * 2] ?? 0, 1 - (uv[i + k * 2 + 1] ?? 0)];
    path.moveTo(...at(0));
    path.lineTo(...at(1));
    path.lineTo(...at(2));
    path.closePath();
  }
  return path;
}

export class SheetView {
  private readonly context: CanvasRenderingContext2D;
  private readonly watch: ResizeObserver;
  private image: HTMLImageElement | null = null;
  private size = 0;
  private wires: Path2D | null = null;
  /** A picture of the layout in place of the map. */
  private painting: HTMLCanvasElement | null = null;
  private seams: Path2D | null = null;
  private lit: Path2D | null = null;
  private badges: readonly SheetBadge[] = [];
  private channel: Channel = "all";
  private showWires = false;
  private cross: [number, number] | null = null;
  /** Pixels a side of the whole sheet, and where its top left lies. */
  private side = 0;
  private x = 0;
  private y = 0;
  private fitted = true;
  private asked = 0;
  private readonly end = new AbortController();

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly onZoom: (pixelsPerTexel: number) => void,
  ) {
    const context = canvas.getContext("2d");
    if (!context) throw new Error("This browser has no 2D canvas.");
    this.context = context;
    this.watch = new ResizeObserver(() => (this.fitted ? this.fit() : this.draw()));
    this.watch.observe(canvas);
    const on = { signal: this.end.signal };
    canvas.addEventListener("wheel", (e) => this.wheel(e), { passive: false, signal: this.end.signal });
    canvas.addEventListener("pointerdown", (e) => canvas.setPointerCapture(e.pointerId), on);
    canvas.addEventListener(
      "pointermove",
      (e) => {
        if (e.buttons === 0) return;
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

  setImage(image: HTMLImageElement | null, size: number) {
    this.image = image;
    this.size = size;
    this.report();
    this.draw();
  }

  setUvs(uv: Float32Array | null) {
    this.wires = uv && triangles(uv);
    this.draw();
  }

  setPainting(painting: HTMLCanvasElement | null) {
    this.painting = painting;
    this.draw();
  }

  /** Borders of islands, four numbers a line; drawn over a look at the layout. */
  setSeams(uv: Float32Array | null) {
    this.seams = null;
    if (uv) {
      this.seams = new Path2D();
      for (let i = 0; i + 3 < uv.length; i += 4) {
        this.seams.moveTo(uv[i] ?? 0, 1 - (uv[i + 1] ?? 0));
        this.seams.lineTo(uv[i + 2] ?? 0, 1 - (uv[i + 3] ?? 0));
      }
    }
    this.draw();
  }

  /** Triangles that a finding lights. */
  setLit(uv: Float32Array | null) {
    this.lit = uv && uv.length > 0 ? triangles(uv) : null;
    this.draw();
  }

  setBadges(badges: readonly SheetBadge[]) {
    this.badges = badges;
    this.draw();
  }

  show(channel: Channel, wires: boolean) {
    this.channel = channel;
    this.showWires = wires;
    this.draw();
  }

  setCross(uv: [number, number] | null) {
    this.cross = uv;
    this.draw();
  }

  fit() {
    const [w, h] = [this.canvas.clientWidth, this.canvas.clientHeight];
    this.side = Math.max(16, Math.min(w - 2 * MARGIN, h - MARGIN_TOP - MARGIN));
    this.x = (w - this.side) / 2;
    this.y = MARGIN_TOP + (h - MARGIN_TOP - MARGIN - this.side) / 2;
    this.fitted = true;
    this.report();
    this.draw();
  }

  /** UV under a place of the window, or null off the sheet. */
  uvAt(clientX: number, clientY: number): [number, number] | null {
    const box = this.canvas.getBoundingClientRect();
    const u = (clientX - box.left - this.x) / this.side;
    const v = 1 - (clientY - box.top - this.y) / this.side;
    return u >= 0 && u < 1 && v > 0 && v <= 1 ? [u, v] : null;
  }

  /** Arrows move, plus and minus zoom to the middle, 0 fits. */
  private key(e: KeyboardEvent) {
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
    cancelAnimationFrame(this.asked);
    this.asked = requestAnimationFrame(() => this.drawNow());
  }

  private drawNow() {
    const { canvas, context } = this;
    const ratio = Math.min(2, window.devicePixelRatio);
    const [w, h] = [canvas.clientWidth, canvas.clientHeight];
    if (canvas.width !== Math.round(w * ratio) || canvas.height !== Math.round(h * ratio)) {
      canvas.width = Math.round(w * ratio);
      canvas.height = Math.round(h * ratio);
    }
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.clearRect(0, 0, w, h);
    context.fillStyle = "#686868";
    context.fillRect(this.x, this.y, this.side, this.side);
    if (this.painting) {
      context.imageSmoothingEnabled = true;
      context.imageSmoothingQuality = "high";
      context.drawImage(this.painting, this.x, this.y, this.side, this.side);
    } else if (this.image) {
      context.imageSmoothingEnabled = this.side * ratio < this.image.naturalWidth;
      context.imageSmoothingQuality = "high";
      context.filter = this.channel === "all" ? "none" : `url(#channel-${this.channel})`;
      context.drawImage(this.image, this.x, this.y, this.side, this.side);
      context.filter = "none";
    }
    context.strokeStyle = "#4c4c4c";
    context.lineWidth = 1;
    context.strokeRect(this.x - 0.5, this.y - 0.5, this.side + 1, this.side + 1);
    if (this.showWires && this.wires)
      this.onSheet(this.wires, { line: this.painting ? "#00000070" : "#ffffffa0", width: 1 });
    if (this.seams) this.onSheet(this.seams, { line: "#1d1a17", width: 1.4 });
    if (this.lit) this.onSheet(this.lit, { fill: "#f2702480", line: "#ff8c40", width: 1.5 });
    for (const badge of this.badges) this.drawBadge(badge);
    if (this.cross) this.drawCross(this.cross);
  }

  /** Draws a path of UV space in pixels of the same width at any zoom. */
  private onSheet(path: Path2D, look: { line: string; width: number; fill?: string }) {
    const { context } = this;
    context.save();
    context.translate(this.x, this.y);
    context.scale(this.side, this.side);
    if (look.fill) {
      context.fillStyle = look.fill;
      context.fill(path);
    }
    context.lineWidth = look.width / this.side;
    context.strokeStyle = look.line;
    context.stroke(path);
    context.restore();
  }

  private drawBadge({ number, uv }: SheetBadge) {
    const { context } = this;
    const [x, y] = [this.x + uv[0] * this.side, this.y + (1 - uv[1]) * this.side];
    context.fillStyle = "#f6f4f0";
    context.strokeStyle = "#2a2622";
    context.lineWidth = 1.2;
    context.beginPath();
    const half = number > 99 ? 13 : 10;
    context.roundRect(x - half, y - 9, 2 * half, 18, 3);
    context.fill();
    context.stroke();
    context.fillStyle = "#2a2622";
    context.font = "600 12px 'Spline Sans Mono Variable', monospace";
    context.textAlign = "center";
    context.textBaseline = "middle";
    context.fillText(String(number), x, y + 1);
  }

  private drawCross([u, v]: [number, number]) {
    const [x, y] = [this.x + u * this.side, this.y + (1 - v) * this.side];
    for (const [color, width] of [
      ["#000000a0", 3],
      ["#ffffff", 1.3],
    ] as const) {
      this.context.strokeStyle = color;
      this.context.lineWidth = width;
      this.context.beginPath();
      this.context.arc(x, y, 7, 0, 7);
      for (const [dx, dy] of [
        [1, 0],
        [-1, 0],
        [0, 1],
        [0, -1],
      ] as const) {
        this.context.moveTo(x + dx * 5, y + dy * 5);
        this.context.lineTo(x + dx * 13, y + dy * 13);
      }
      this.context.stroke();
    }
  }
}
