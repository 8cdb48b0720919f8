// Written from the Rust types by crates/server/tests/types.rs. Do not edit.

export type Severity = "note" | "warning" | "fault";

export type FindingKind = "unreadable" | "read-in-part" | "not-a-number" | "missing-uvs" | "island-outside" | "overlapping-uvs" | "mirrored-islands" | "density-spread" | "stretched-uvs" | "tight-islands" | "turned-faces" | "inside-out" | "doubled-points" | "non-manifold-edges" | "hard-edges-without-seam" | "polygons-triangulated" | "zero-area-faces" | "scale-slip" | "axis-swap" | "meshes-apart" | "unpaired-part" | "names-pair-nothing" | "colours-merged" | "cage-gaps" | "misses" | "back-face-hits" | "wrong-part-hits" | "lean" | "range-clipped" | "picture-texels";

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
uv: [number, number] | null, 
/**
 * Which sheet of the run that is, counted from 0; none where no run is meant.
 */
sheet?: number | null, };

export type Turn = "z-up" | "y-down";

export type MeshStep = { "step": "scale", factor: number, } | { "step": "turn", turn: Turn, } | { "step": "move", by: [number, number, number], } | { "step": "turn-faces", part?: string | null, } | { "step": "merge-points", part?: string | null, distance: number, } | { "step": "normals-by-angle", part?: string | null, degrees: number, } | { "step": "normals-at-seams", part?: string | null, degrees: number, } | { "step": "move-islands", part?: string | null, } | { "step": "lay-out", part?: string | null, };

export type FixOn = "file" | "sculpt";

export type Fix = { 
/**
 * What the button says.
 */
words: string, step: MeshStep, 
/**
 * Which files get the step.
 */
on: FixOn, };

export type Finding = { kind: FindingKind, severity: Severity, place: Place, 
/**
 * What is wrong, in plain words, with its figures.
 */
reason: string, 
/**
 * What to do about it.
 */
remedy: string, 
/**
 * Safe ways to mend it here, each by one click; the first is the one to try first.
 */
fixes?: Array<Fix>, 
/**
 * Why the artist lets it stand, when that is so.
 */
allowed?: string | null, };

export type Exception = { kind: FindingKind, 
/**
 * The part it is about; None for one that names no part.
 */
part?: string | null, 
/**
 * Why it may stand.
 */
note: string, };

export type Plane = "planar-x" | "planar-y" | "planar-z";

export type UvChoice = number | Plane;

export type Facing = "x" | "y" | "z";

export type PlaneTarget = { 
/**
 * The axis it faces.
 */
facing: Facing, 
/**
 * Where its middle lies, scene units; the coordinate along the axis is its height.
 */
middle: [number, number, number], 
/**
 * Width and height as its UVs run, scene units.
 */
size: [number, number], 
/**
 * The sculpt goes on past each edge as it begins at the opposite one: rays and occlusion meet it there.
 */
repeats: boolean, };

export type MeshSource = { file: string, 
/**
 * BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
 */
hash?: string | null, 
/**
 * Which UVs of the mesh are used.
 */
uvs?: UvChoice, 
/**
 * What is done to the mesh each time it is read, in order; the file stays as it is.
 */
steps?: Array<MeshStep>, 
/**
 * Files that belong to it and lie beside it: material libraries, textures, buffers.
 */
beside?: Array<FileBeside>, 
/**
 * A plane made here in place of a file; `file` then only names what is baked.
 */
plane?: PlaneTarget | null, };

export type FileBeside = { 
/**
 * The name it is known by in the mesh file, without folders.
 */
file: string, 
/**
 * BLAKE3 of its bytes, hexadecimal; another file of that name is refused.
 */
hash: string, };

export type PictureSource = { file: string, 
/**
 * BLAKE3 of the file's bytes, hexadecimal. When given, another file of the same name is refused.
 */
hash?: string | null, };

export type NormalMapSource = { file: string, hash?: string | null, 
/**
 * Which way its green channel points.
 */
y: Green, };

export type Pairing = "names" | "space" | "all";

export type Endings = { low: Array<string>, high: Array<string>, cage: Array<string>, };

export type HandPair = { high: string, 
/**
 * Low-poly parts by name; none hides the part from every ray.
 */
low: Array<string>, };

export type Distance = "auto" | number;

export type PartReach = { 
/**
 * Name of the low-poly part.
 */
part: string, out?: Distance | null, in?: Distance | null, };

export type Brush = "more" | "less" | "smooth" | "set" | "fitted" | "plumb" | "averaged";

export type ReachSide = "out" | "in" | "both";

export type Axis = "x" | "y" | "z";

export type Stroke = { brush: Brush, side: ReachSide, 
/**
 * Distance along the surface at which the effect ends, scene units.
 */
size: number, 
/**
 * 0 to 1.
 */
strength: number, 
/**
 * The distance that [`Brush::Set`] sets, scene units.
 */
value?: number | null, 
/**
 * Painted on the other side too, across the middle of the low-poly.
 */
mirror?: Axis | null, 
/**
 * Points on the low surface (x, y, z, scene units) and pressure there, 0 to 1.
 */
path: Array<[number, number, number, number]>, };

export type Reach = { out: Distance, in: Distance, 
/**
 * Low-poly parts with distances of their own.
 */
parts?: Array<PartReach>, 
/**
 * What was painted, in order.
 */
strokes?: Array<Stroke>, };

export type Direction = "averaged" | "plumb";

export type HitRule = "outermost" | "nearest";

export type BackFaces = "skip" | "keep";

export type Padding = "all" | number;

export type ImageFormat = "png" | "tiff" | "exr" | "tga" | "jpeg";

export type Layout = "one" | "materials" | "udim";

export type Depth = "8" | "16" | "32f";

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
 * Another format for the colour map, such as TGA or JPEG; None writes it as the others.
 */
color_format?: ImageFormat | null, 
/**
 * At 8 bit, spread rounding over neighbouring texels, so that slow gradients show no steps.
 */
dither: boolean, layout: Layout, 
/**
 * Texels a side of a proof (never more than `size`).
 */
proof_size: number, };

export type Green = "+" | "-";

export type NormalSettings = { y: Green, 
/**
 * Bend it by the normal texture that the sculpt's own materials carry, where they do.
 */
carried: boolean, };

export type NormalObjectSettings = Record<symbol, never>;

export type MadeFrom = "sculpt" | "normal-map";

export type Rays = number | RaysByError;

export type RaysByError = { 
/**
 * Where every texel ends, met or not: a power of two from 32 to 512.
 */
most: number, 
/**
 * Standard error of a texel's value, of full range 1.
 */
error: number, };

export type Falloff = "none" | "linear";

export type Occluders = "pair" | "all" | { "parts": Array<string> };

export type AoSettings = { from: MadeFrom, 
/**
 * Rays a texel.
 */
rays: Rays, 
/**
 * How far off a surface still darkens, scene units; `auto` is a fifth of the asset's diagonal.
 */
distance: Distance, falloff: Falloff, occluders: Occluders, 
/**
 * High-poly parts that never stand in the way: floating details.
 */
clear: Array<string>, };

export type BentNormalSettings = { y: Green, 
/**
 * Rays a texel.
 */
rays: Rays, 
/**
 * How far off a surface still counts, scene units; `auto` is a fifth of the asset's diagonal.
 */
distance: Distance, occluders: Occluders, 
/**
 * High-poly parts that never stand in the way: floating details.
 */
clear: Array<string>, };

export type CurvatureEncoding = "grey" | "red-green";

export type CurvatureSettings = { from: MadeFrom, 
/**
 * Radius curvature is averaged over, scene units; `auto` is 0.6 % of the asset's diagonal.
 */
detail: Distance, 
/**
 * The radius of a ball that reads full scale, scene units; `auto` is twice the detail size.
 */
radius: Distance, encoding: CurvatureEncoding, };

export type CavityMethod = "occlusion" | "curvature";

export type CavitySettings = { from: MadeFrom, method: CavityMethod, 
/**
 * Size of the creases that are wanted, scene units; `auto` is 0.6 % of the asset's diagonal.
 */
detail: Distance, 
/**
 * Occlusion: rays a texel.
 */
rays: Rays, 
/**
 * How fast it darkens: 1 as measured.
 */
strength: number, };

export type DisplacementSettings = { 
/**
 * The distance from black to white in whole-number files; `auto` takes twice the furthest height of the whole asset.
 */
scale: Distance, };

export type IdSource = "color" | "material" | "part" | "piece" | "low-part" | "island" | "material-part";

export type IdSettings = { from: IdSource, };

export type ColorFrom = "auto" | "vertices" | "materials" | "picture";

export type ColorSettings = { from: ColorFrom, 
/**
 * A picture laid over the sculpt's UVs.
 */
picture?: PictureSource | null, 
/**
 * Darken by the share of rays that missed, so that cut-outs stand on black.
 */
times_opacity: boolean, };

export type OpacitySettings = Record<symbol, never>;

export type RoughnessSettings = Record<symbol, never>;

export type MetallicSettings = Record<symbol, never>;

export type EmissionSettings = Record<symbol, never>;

export type PositionAxis = "all" | "x" | "y" | "z";

export type PositionSettings = { axis: PositionAxis, 
/**
 * One axis: the coordinate that reads black; the box's lower side when not given.
 */
from?: number | null, 
/**
 * One axis: the coordinate that reads white; the box's upper side when not given.
 */
to?: number | null, };

export type ThicknessSettings = { 
/**
 * Rays a texel.
 */
rays: Rays, 
/**
 * The thickness that reads white, scene units; `auto` is a tenth of the asset's diagonal.
 */
distance: Distance, occluders: Occluders, };

export type MissSettings = Record<symbol, never>;

export type MapSettings = { "map": "normal" } & NormalSettings | { "map": "normal-object" } & NormalObjectSettings | { "map": "ao" } & AoSettings | { "map": "bent-normal" } & BentNormalSettings | { "map": "curvature" } & CurvatureSettings | { "map": "cavity" } & CavitySettings | { "map": "displacement" } & DisplacementSettings | { "map": "id" } & IdSettings | { "map": "color" } & ColorSettings | { "map": "opacity" } & OpacitySettings | { "map": "roughness" } & RoughnessSettings | { "map": "metallic" } & MetallicSettings | { "map": "emission" } & EmissionSettings | { "map": "position" } & PositionSettings | { "map": "thickness" } & ThicknessSettings | { "map": "miss" } & MissSettings;

export type MapShape = { channels: number, neutral: Array<number>, };

export type MapKind = { id: string, label: string, 
/**
 * One line for a newcomer.
 */
explains: string, 
/**
 * How a texel is to be read, as it stands in the report.
 */
encoding: string, 
/**
 * Channels and value outside every island, unless a setting changes them.
 */
shape: MapShape, 
/**
 * Colours meant to be seen: sRGB-encoded. All others are data.
 */
color: boolean, 
/**
 * Flat colours, none of which may change by a step.
 */
flat: boolean, 
/**
 * Values are signed heights in scene units until the whole map is known.
 */
heights: boolean, };

export type Recipe = { version: number, asset: string, low: Array<MeshSource>, 
/**
 * The sculpt; may be empty when every map comes from `normal_map`.
 */
high: Array<MeshSource>, cage?: MeshSource | null, 
/**
 * Occlusion, curvature and cavity may be made from this and the low-poly alone.
 */
normal_map?: NormalMapSource | null, pairing: Pairing, endings: Endings, 
/**
 * What was paired by hand, by high-poly part.
 */
hand_pairs?: Array<HandPair>, 
/**
 * Findings that may stand.
 */
exceptions?: Array<Exception>, reach: Reach, direction: Direction, hit: HitRule, back_faces: BackFaces, sheet: SheetSettings, maps: Array<MapSettings>, seed: number, };

export type SuggestedReach = { out: number, in: number, 
/**
 * Share (0..1) of probed points whose sculpt surface lies within these reaches.
 */
enclosed: number, };

export type FitReport = { enclosed: number, 
/**
 * Points whose room was limited by another wall of their own part.
 */
limited_by_own: number, 
/**
 * Points whose room was limited by a wall of a neighbour part.
 */
limited_by_neighbour: number, 
/**
 * Points whose sculpt could not be enclosed.
 */
left: number, 
/**
 * Share of all points that have no sculpt near them.
 */
bare: number, };

export type ResolvedReach = { 
/**
 * The longest of each.
 */
out: number, in: number, 
/**
 * One pair of numbers for the whole asset, for comparison. Present when anything was fitted.
 */
suggested?: SuggestedReach | null, 
/**
 * How well the fit did. Present when anything was fitted.
 */
fit?: FitReport | null, 
/**
 * Strokes that changed nothing, because they touch no vertex.
 */
idle_strokes: number, };

export type PaletteEntry = { name: string, color: [number, number, number], };

export type SheetFile = { 
/**
 * Material or UDIM number.
 */
sheet: string, file: string, };

export type MapReport = { 
/**
 * File name, empty when the map was not written; with several sheets, the first one's.
 */
file: string, 
/**
 * With several sheets, each one's file.
 */
files?: Array<SheetFile>, 
/**
 * Time spent on this map alone over all tiles, summed over threads.
 */
seconds: number, 
/**
 * Time spent getting ready, once; what was kept from an earlier bake takes none.
 */
preparing: number, 
/**
 * Rays traced for this map alone; the primary ones serve all and stand in the whole bake's sum.
 */
rays: number, 
/**
 * Rays a texel got on average, where their number follows from an error; of texels taken over from an earlier bake it knows
 * nothing.
 */
mean_rays?: number | null, width: number, height: number, depth: Depth, encoding: string, 
/**
 * Displacement in whole-number files: the distance from black to white, scene units; mid-grey is the low-poly. Height =
 * (value - 0.5) * scale.
 */
scale?: number | null, 
/**
 * Displacement: the furthest the sculpt lies from the low-poly, scene units.
 */
extreme?: number | null, palette?: Array<PaletteEntry> | null, error?: string | null, };

export type Report = { version: number, recipe: Recipe, reach: ResolvedReach, 
/**
 * Wall-clock time of the bake: planning, tracing, padding; not reading and writing files.
 */
seconds: number, 
/**
 * Time in primary rays, summed over threads.
 */
ray_seconds: number, rays: number, 
/**
 * Primary rays that an earlier bake of the same asset had traced already.
 */
kept_rays: number, texels: number, covered: number, 
/**
 * Covered texels of which no ray hit anything.
 */
misses: number, 
/**
 * Covered texels of which at least one ray passed through a back face.
 */
back_faces: number, 
/**
 * Materials or UDIM numbers of the sheets; one empty name when there is one sheet.
 */
sheets: Array<string>, maps: { [key in string]: MapReport }, findings: Array<Finding>, };

export type Estimate = { 
/**
 * Wall-clock seconds of tracing, without reading meshes, building trees and getting maps ready.
 */
seconds: number, 
/**
 * Bytes of finished texels that wait until they are written, in memory or beyond that on the disk.
 */
bytes: number, };

export type MapLine = { kind: MapKind, fresh: MapSettings, };

export type Swatch = { map: string, 
/**
 * A PNG as a data URL.
 */
picture: string | null, error: string | null, };

export type Estimates = { proof: Estimate, 
/**
 * Of the final.
 */
whole: Estimate, };

export type RunKind = "proof" | "final";

export type RunStatus = "waiting" | "running" | "done" | "partial" | "stopped" | "failed" | "interrupted";

export type AssetLine = { id: number, name: string, };

export type NewAsset = { name: string, };

export type Role = "low" | "high" | "cage";

export type PartLine = { name: string, triangles: number, };

export type MeshSummary = { bytes: number, vertices: number, triangles: number, parts: Array<PartLine>, low_corner: [number, number, number], high_corner: [number, number, number], has_uvs: boolean, has_colors: boolean, normals_from_file: boolean, 
/**
 * What is wrong with it as what it is used as: UVs matter on a low-poly only.
 */
findings: Array<Finding>, };

export type MeshView = { role: Role, file: string, hash: string, summary: MeshSummary, 
/**
 * What is done to the file each time it is read, in words.
 */
steps: Array<string>, };

export type PairedPart = { name: string, 
/**
 * Why, in a word or two.
 */
why: string, 
/**
 * Decided by hand.
 */
by_hand: boolean, 
/**
 * Seen only because nothing fits its low-poly part, which then sees everything.
 */
by_default: boolean, };

export type PairView = { number: number, low: string, high: Array<PairedPart>, };

export type IslandLine = { 
/**
 * Counted from 1, by first triangle.
 */
number: number, part: string, triangles: number, 
/**
 * Share of the unit square.
 */
uv_area: number, 
/**
 * UV units per scene unit; times the sheet's size, texels per scene unit.
 */
density: number, 
/**
 * Mean stretch over its surface; 1 keeps angles.
 */
stretch: number, mirrored: boolean, 
/**
 * Lower left and upper right corner, UV units.
 */
low: [number, number], high: [number, number], 
/**
 * A point of the model to look at.
 */
point: [number, number, number], 
/**
 * UV units to the nearest other island; None where there is room around.
 */
gap: number | null, };

export type MipLine = { level: number, 
/**
 * Texels a side.
 */
size: number, 
/**
 * Texels between the two nearest islands; None where all have more room than was looked for.
 */
narrowest: number | null, 
/**
 * Islands with less than two texels to another: their borders mix here.
 */
mixing: number, };

export type UvReport = { size: number, islands: Array<IslandLine>, 
/**
 * Half of the surface has no more than this, UV units per scene unit.
 */
median_density: number, 
/**
 * The finest over the coarsest island's density; small islands aside.
 */
spread: number, 
/**
 * Share of the unit square that no island covers, 0 to 1.
 */
unused: number, 
/**
 * Share of the unit square that is covered twice or more.
 */
overlapping: number, mips: Array<MipLine>, findings: Array<Finding>, };

export type AssetView = { id: number, name: string, revision: number, undo: string | null, redo: string | null, recipe: Recipe, meshes: Array<MeshView>, pairs: Array<PairView>, 
/**
 * How low-poly and sculpt lie to each other.
 */
placing: Finding | null, pair_findings: Array<Finding>, 
/**
 * Parts of the sculpt that no low-poly part sees.
 */
unseen: Array<string>, 
/**
 * What to know of a file that was just brought in: settings that could not be carried over to it, files it names that did not
 * come with it.
 */
told: Array<string>, 
/**
 * The newest runs; older ones by `/api/assets/<id>/runs?before=<number>`.
 */
runs: Array<RunView>, 
/**
 * How many runs there are, and the bytes of their maps.
 */
run_count: number, run_bytes: number, estimates: Estimates | null, };

export type RunView = { id: number, number: number, kind: RunKind, status: RunStatus, created: number, size: number, samples: number, 
/**
 * What differs from the run before, in words.
 */
changes: Array<string>, error: string | null, bytes: number, 
/**
 * Ids of the maps that were made.
 */
maps: Array<string>, failed_maps: number, 
/**
 * Findings that are more than notes.
 */
findings: number, seconds: number | null, 
/**
 * Small pictures: the content hash by map.
 */
small: { [key in string]: string }, };

export type RunPage = { runs: Array<RunView>, more: boolean, };

export type PictureLine = { map: string, sheet: number, 
/**
 * Content hash: the picture lies at `/api/pictures/<hash>`.
 */
hash: string, };

export type RunDetail = { run: RunView, report: Report | null, 
/**
 * Its maps as a browser can show them.
 */
pictures: Array<PictureLine>, };

export type Change = { 
/**
 * The way to the place, such as `["maps", "ao", "rays"]`.
 */
at: Array<string>, 
/**
 * What is to stand there; left out, the place is cleared. At `+`, the entries to add.
 */
to?: unknown, };

export type Conflict = { at: Array<string>, 
/**
 * The place in words.
 */
words: string, 
/**
 * What the edit wants there; none when it clears the place.
 */
mine: unknown, 
/**
 * What stands there by now.
 */
theirs: unknown, };

export type Freed = { bytes: number, };

export type KeptHitsView = { 
/**
 * Bytes that are kept.
 */
held: number, 
/**
 * Bytes that may be kept.
 */
most: number, };

export type About = { version: string, 
/**
 * Bytes held in memory between requests, measured now, and the most that may be.
 */
memory_held: number, memory_most: number, };

export type Revision = { 
/**
 * The revision the recipe was edited from.
 */
base: number, recipe: Recipe, };

export type RunOrder = { kind: RunKind, };

export type MarkKind = "pokes-out" | "too-deep" | "crosses-itself" | "crosses-another";

export type FitLimit = "own" | "neighbour" | "left";

export type NeedleFate = "hit" | "miss" | "back-face" | "wrong-part";

export type PartReachLine = { part: string, out: [number, number], in: [number, number], };

export type MarkCount = { kind: MarkKind, count: number, most: number, };

export type NeedleCounts = { hit: number, miss: number, back_face: number, wrong_part: number, };

export type EnvelopeHeader = { reach: ResolvedReach, 
/**
 * Length of the low-poly's bounding diagonal, scene units: what percentages refer to.
 */
diagonal: number, 
/**
 * Points the low-poly was probed at.
 */
probed: number, parts: Array<PartReachLine>, marks: Array<MarkCount>, needles: NeedleCounts, 
/**
 * Some rays are plumb.
 */
plumb: boolean, arrays: Array<DisplayArray>, };

export type TexelView = { x: number, y: number, maps: Array<TexelMap>, };

export type TexelMap = { map: string, channels: Array<number>, 
/**
 * What the channels mean: a direction, a region's name, a share.
 */
words: string, };

export type RaySide = "front" | "back";

export type Fate = "taken" | "back-face" | "other-pair" | "behind";

export type Crossing = { part: string, 
/**
 * From the ray's start, scene units.
 */
distance: number, 
/**
 * Over the low surface, outward positive.
 */
height: number, point: [number, number, number], facing: RaySide, fate: Fate, };

export type TracedRay = { 
/**
 * Low-poly part and triangle it belongs to.
 */
part: string, triangle: number, 
/**
 * On the low surface; where it starts; where it ends. Scene units.
 */
surface: [number, number, number], start: [number, number, number], end: [number, number, number], 
/**
 * Unit vector it runs along.
 */
direction: [number, number, number], reach_out: number, reach_in: number, 
/**
 * 0 = averaged direction, 1 = square to the face.
 */
plumb: number, 
/**
 * Angle between the ray and the face's normal, degrees.
 */
lean: number, crossings: Array<Crossing>, 
/**
 * There were more than are listed.
 */
more: boolean, };

export type TraceNeighbour = { x: number, y: number, 
/**
 * Part of the sculpt; none for a miss or where no low-poly lies.
 */
part: string | null, 
/**
 * Mean over its samples, scene units.
 */
height: number | null, covered: boolean, };

export type Trace = { sheet: number, 
/**
 * Texel from the left and from the top.
 */
x: number, y: number, 
/**
 * Its samples; none where no low-poly lies.
 */
rays: Array<TracedRay>, 
/**
 * The texel and those around it, row by row.
 */
neighbours: Array<TraceNeighbour>, };

export type TraceView = { trace: Trace, maps: Array<TexelMap>, };

export type Problem = { error: string, 
/**
 * Places that an edit and the asset as it stands both changed; empty for every other error.
 */
conflicts?: Array<Conflict>, };

export type Event = { "event": "asset", asset: number, } | { "event": "progress" } & ProgressView | { "event": "intake", asset: number, file: string, stage: string, } | { "event": "ended", run: number, };

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
real_triangles: number, shown_triangles: number, parts: Array<DisplayPart>, 
/**
 * Names of materials; the low-poly's array "material" holds a number of these a triangle, 32 bits, 4294967295 for none.
 */
materials: Array<string>, arrays: Array<DisplayArray>, low_corner: [number, number, number], high_corner: [number, number, number], };

export type DisplayPart = { name: string, 
/**
 * First index and count of indices.
 */
start: number, count: number, };

export type DisplayArray = { 
/**
 * position, normal, uv, tangent, outward, color or index; of the low-poly's triangles also material, island (u32), density
 * and stretch (f32), and overlapping (u8). A large sculpt also has rough, indices for while it turns, and rough_parts,
 * first index and count of each part among those (u32).
 */
name: string, 
/**
 * Byte offset after the header.
 */
offset: number, length: number, };

export const NAMED_LISTS: readonly (readonly [string, string])[] = [["maps","map"],["low","file"],["high","file"],["hand_pairs","high"],["reach/parts","part"]];

export const GROWING_LISTS: readonly string[] = ["reach/strokes","exceptions","low/*/steps","high/*/steps"];
