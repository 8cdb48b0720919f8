// Triangles of UV space as paths, v turned down. A canvas takes much longer than in proportion for long paths, so they come in pieces.

/** Triangles, or edges, of one piece. */
const PIECE = 64;

export type Paths = readonly Path2D[];

type Corner = [number, number];

function* triangles(uv: Float32Array): Generator<[Corner, Corner, Corner]> {
  for (let i = 0; i + 5 < uv.length; i += 6) {
    const at = (k: number): Corner => [uv[i + k * 2] ?? 0, 1 - (uv[i + k * 2 + 1] ?? 0)];
    yield [at(0), at(1), at(2)];
  }
}

/** Lays so many things into each path. */
class Pieces {
  readonly paths: Path2D[] = [];
  private count = 0;

  get next(): Path2D {
    if (this.count++ % PIECE === 0) this.paths.push(new Path2D());
    return this.paths.at(-1) as Path2D;
  }
}

/** Triangles, six numbers each. */
export function trianglePaths(uv: Float32Array): Paths {
  const pieces = new Pieces();
  for (const [a, b, c] of triangles(uv)) {
    const path = pieces.next;
    path.moveTo(...a);
    path.lineTo(...b);
    path.lineTo(...c);
    path.closePath();
  }
  return pieces.paths;
}

/** The edges of triangles, each once, so that what is see-through is so alike everywhere. */
export function edgePaths(uv: Float32Array): Paths {
  const pieces = new Pieces();
  const seen = new Set<string>();
  for (const corners of triangles(uv)) {
    for (let k = 0; k < 3; k++) {
      const [a, b] = [corners[k] as Corner, corners[(k + 1) % 3] as Corner];
      const [p, q] = [a.join(), b.join()];
      const edge = p < q ? `${p} ${q}` : `${q} ${p}`;
      if (seen.has(edge)) continue;
      seen.add(edge);
      const path = pieces.next;
      path.moveTo(...a);
      path.lineTo(...b);
    }
  }
  return pieces.paths;
}

/** Lines of the sheet, v turned up, four numbers each. */
export function linePaths(lines: Float32Array): Paths {
  const pieces = new Pieces();
  for (let i = 0; i + 3 < lines.length; i += 4) {
    const path = pieces.next;
    path.moveTo(lines[i] ?? 0, 1 - (lines[i + 1] ?? 0));
    path.lineTo(lines[i + 2] ?? 0, 1 - (lines[i + 3] ?? 0));
  }
  return pieces.paths;
}

/** Of many triangles every so many, at most `most`: enough to see how they lie while they are moved. */
export function thinned(triangles: readonly number[], most: number): readonly number[] {
  const every = Math.ceil(triangles.length / most);
  return every <= 1 ? triangles : triangles.filter((_, i) => i % every === 0);
}
