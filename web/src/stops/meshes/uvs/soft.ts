// Part of an island moved softly, as long as it is dragged: what goes along comes from the server, and so does the step in the end.
import { thinned } from "../../../stages/sheet/paths";

/** Triangles that are drawn while they are dragged, at most. */
export const MOST_DRAWN = 1000;

/** Corners that go along, with the triangles that have them. */
export class Soft {
  /** Triangles that change. */
  readonly triangles: readonly number[];
  /** Of their corners, three each. */
  private readonly weights: Float32Array;
  /** UVs of their corners at rest and as they are moved, six numbers each. */
  private readonly resting: Float32Array;
  readonly moved: Float32Array;
  /** Places among the triangles of those that are drawn, and their UVs. */
  private readonly drawn: readonly number[];
  private readonly picture: Float32Array;

  constructor(uv: Float32Array, corners: readonly number[], weights: readonly number[]) {
    const places = new Map<number, number>();
    for (const corner of corners) {
      const t = Math.floor(corner / 3);
      if (!places.has(t)) places.set(t, places.size);
    }
    this.triangles = [...places.keys()];
    this.weights = new Float32Array(places.size * 3);
    corners.forEach((corner, i) => {
      this.weights[3 * (places.get(Math.floor(corner / 3)) ?? 0) + (corner % 3)] = weights[i] ?? 0;
    });
    this.resting = new Float32Array(places.size * 6);
    this.triangles.forEach((t, i) => {
      this.resting.set(uv.subarray(t * 6, t * 6 + 6), i * 6);
    });
    this.moved = this.resting.slice();
    this.drawn = thinned([...this.triangles.keys()], MOST_DRAWN);
    this.picture = new Float32Array(this.drawn.length * 6);
  }

  /** Moves them, as far as no face flips. */
  move([du, dv]: readonly [number, number]) {
    const far = Math.min(1, 0.9 * this.furthest(du, dv));
    for (let corner = 0; corner < this.weights.length; corner++) {
      const by = far * (this.weights[corner] ?? 0);
      this.moved[corner * 2] = (this.resting[corner * 2] ?? 0) + du * by;
      this.moved[corner * 2 + 1] = (this.resting[corner * 2 + 1] ?? 0) + dv * by;
    }
  }

  /** UVs to draw, as they are moved: of many triangles every so many. */
  shown(): Float32Array {
    if (this.drawn.length === this.triangles.length) return this.moved;
    this.drawn.forEach((at, i) => {
      this.picture.set(this.moved.subarray(at * 6, at * 6 + 6), i * 6);
    });
    return this.picture;
  }

  /** How many times as far the first face loses its area. */
  private furthest(du: number, dv: number): number {
    let furthest = Number.POSITIVE_INFINITY;
    const { resting: r, weights: w } = this;
    for (let i = 0; i < w.length; i += 3) {
      const [a, b, c] = [w[i] ?? 0, w[i + 1] ?? 0, w[i + 2] ?? 0];
      if (a === b && b === c) continue;
      const at = (k: number) => r[i * 2 + k] ?? 0;
      const [eu, ev] = [at(2) - at(0), at(3) - at(1)];
      const [fu, fv] = [at(4) - at(0), at(5) - at(1)];
      // Corners move along one line: twice the area grows evenly with the way.
      const area = eu * fv - ev * fu;
      const grows = eu * (c - a) * dv - ev * (c - a) * du + (b - a) * (du * fv - dv * fu);
      const zero = -area / grows;
      if (zero > 0 && zero < furthest) furthest = zero;
    }
    return furthest;
  }
}
