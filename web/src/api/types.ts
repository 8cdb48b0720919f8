// Written from the Rust types by crates/server/tests/types.rs. Do not edit.

export type Severity = "note" | "warning" | "fault";

export type FindingKind = "unreadable" | "not-a-number" | "missing-uvs" | "island-outside" | "turned-faces" | "polygons-triangulated" | "zero-area-faces" | "unpaired-part" | "names-pair-nothing" | "colours-merged" | "misses" | "back-face-hits";

export type Place = { 
/**
 * File the part came from, when known.
 */
file: string | null, part: string | null, 
/**
 * Triangle numbers in the mesh, at most [`Place::MOST_TRIANGLES`]; `count` tells how many there are in all.
 */
triangles: Array<number>, count: number, 
/**
 * A point on the model to look at, in scene units.
 */
point: [number, number, number] | null, 
/**
 * A point on the sheet to look at, in UV units (origin bottom-left).
 */
uv: [number, number] | null, };

export type Finding = { kind: FindingKind, severity: Severity, place: Place, 
/**
 * What is wrong, in plain words, with its figures.
 */
reason: string, 
/**
 * What to do about it.
 */
remedy: string, };

export type Source = { file: string, 
/**
 * BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
 */
hash?: string | null, };

export type Pairing = "names" | "all";

export type Distance = "auto" | number;

export type Reach = { out: Distance, in: Distance, };

export type Direction = "averaged" | "plumb";

export type HitRule = "outermost" | "nearest";

export type BackFaces = "skip" | "keep";

export type Padding = "all" | number;

export type ImageFormat = "png";

export type Depth = "8" | "16";

export type SheetSettings = { 
/**
 * Texels a side.
 */
size: number, 
/**
 * Samples a texel: 1, 4, 16 or 64.
 */
samples: number, padding: Padding, depth: Depth, format: ImageFormat, 
/**
 * Texels a side of a proof (never more than `size`).
 */
proof_size: number, };

export type Green = "+" | "-";

export type NormalSettings = { y: Green, };

export type IdSource = "color" | "material" | "part" | "piece" | "low-part" | "island";

export type IdSettings = { from: IdSource, };

export type MapSettings = { "map": "normal" } & NormalSettings | { "map": "id" } & IdSettings | { "map": "miss" };

export type Recipe = { version: number, asset: string, low: Array<Source>, high: Array<Source>, cage?: Source | null, pairing: Pairing, reach: Reach, direction: Direction, hit: HitRule, back_faces: BackFaces, sheet: SheetSettings, maps: Array<MapSettings>, seed: number, };

export type SuggestedReach = { out: number, in: number, 
/**
 * Share (0..1) of probed points whose sculpt surface lies within these reaches.
 */
enclosed: number, };

export type ResolvedReach = { out: number, in: number, 
/**
 * Present when at least one of the two was measured.
 */
suggested?: SuggestedReach | null, };

export type PaletteEntry = { name: string, color: [number, number, number], };

export type MapReport = { 
/**
 * File name, empty when the map was not written.
 */
file: string, 
/**
 * Time spent on this map alone, summed over threads.
 */
seconds: number, width: number, height: number, depth: Depth, encoding: string, palette?: Array<PaletteEntry> | null, error?: string | null, };

export type Report = { version: number, recipe: Recipe, reach: ResolvedReach, 
/**
 * Wall-clock time of the bake: planning, tracing, padding; not reading and writing files.
 */
seconds: number, 
/**
 * Time in primary rays, summed over threads.
 */
ray_seconds: number, rays: number, texels: number, covered: number, 
/**
 * Covered texels of which no ray hit anything.
 */
misses: number, 
/**
 * Covered texels of which at least one ray passed through a back face.
 */
back_faces: number, maps: { [key in string]: MapReport }, findings: Array<Finding>, };

export type RunKind = "proof" | "final";

export type RunStatus = "waiting" | "running" | "done" | "stopped" | "failed" | "interrupted";

export type AssetLine = { id: number, name: string, };

export type NewAsset = { name: string, };

export type Role = "low" | "high" | "cage";

export type PartLine = { name: string, triangles: number, };

export type MeshSummary = { bytes: number, vertices: number, triangles: number, parts: Array<PartLine>, low_corner: [number, number, number], high_corner: [number, number, number], has_uvs: boolean, has_colors: boolean, normals_from_file: boolean, 
/**
 * Findings as a low-poly; a sculpt shows only those that matter on one.
 */
as_low: Array<Finding>, as_high: Array<Finding>, };

export type MeshView = { role: Role, file: string, hash: string, summary: MeshSummary, };

export type PairView = { number: number, low: string, high: Array<string>, };

export type AssetView = { id: number, name: string, revision: number, undo: string | null, redo: string | null, recipe: Recipe, meshes: Array<MeshView>, pairs: Array<PairView>, pair_findings: Array<Finding>, runs: Array<RunView>, };

export type RunView = { id: number, number: number, kind: RunKind, status: RunStatus, created: number, size: number, samples: number, 
/**
 * What differs from the run before, in words.
 */
changes: Array<string>, report: Report | null, error: string | null, bytes: number, };

export type Revision = { 
/**
 * The revision the recipe was edited from.
 */
base: number, recipe: Recipe, };

export type RunOrder = { kind: RunKind, };

export type ReachView = { reach: ResolvedReach, 
/**
 * Length of the low-poly's bounding diagonal, scene units: what percentages refer to.
 */
diagonal: number, };

export type TexelView = { x: number, y: number, maps: Array<TexelMap>, };

export type TexelMap = { map: string, channels: Array<number>, 
/**
 * What the channels mean: a direction, a region's name, a share.
 */
words: string, };

export type Problem = { error: string, };

export type Event = { "event": "asset", asset: number, } | { "event": "progress" } & ProgressView | { "event": "ended", run: number, };

export type ProgressView = { asset: number, run: number, stage: string, 
/**
 * 0..1.
 */
share: number, elapsed: number, 
/**
 * Seconds left, once enough is done to tell.
 */
left: number | null, };

export type DisplayHeader = { vertices: number, indices: number, 
/**
 * Triangles of the real mesh; more than shown when a stand-in is drawn.
 */
real_triangles: number, shown_triangles: number, parts: Array<DisplayPart>, arrays: Array<DisplayArray>, low_corner: [number, number, number], high_corner: [number, number, number], };

export type DisplayPart = { name: string, 
/**
 * First index and count of indices.
 */
start: number, count: number, };

export type DisplayArray = { 
/**
 * position, normal, uv, tangent, outward, color or index.
 */
name: string, 
/**
 * Byte offset after the header.
 */
offset: number, length: number, };
