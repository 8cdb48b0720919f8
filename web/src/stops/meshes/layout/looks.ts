// Looks at the layout: a colour for each triangle of the low-poly by its density, stretch, side, overlap or island, for the
// model and the sheet alike, and the printed scale that goes with it. Figures come from the server; only colours are chosen here.
import type { LowOff, UvReport } from "../../../api/types";
import type { MeshData } from "../../../stages/mesh-data";
import { gradient, HEAT, type Rgb } from "../../../ui/heat-scale";

export type LayoutLook =
  | "checker"
  | "density"
  | "stretch"
  | "facing"
  | "overlap"
  | "islands"
  | "blur"
  | "off";

export const LAYOUT_LOOKS: readonly (readonly [LayoutLook, string])[] = [
  ["checker", "Checker"],
  ["density", "Texel density"],
  ["stretch", "Stretch"],
  ["facing", "Orientation"],
  ["overlap", "Overlap"],
  ["islands", "Islands"],
  ["blur", "Predicted blur"],
];

/** One more where there is a sculpt: how far it lies from each face. */
export const looksFor = (sculpt: boolean): typeof LAYOUT_LOOKS =>
  sculpt ? [...LAYOUT_LOOKS, ["off", "Off the sculpt"]] : LAYOUT_LOOKS;

/** Looks that show what steps on UVs have changed, beside the layout as the file has it. */
export const COMPARED_LOOKS: readonly LayoutLook[] = ["density", "stretch", "blur"];

/** Violet for too few texels, light for what is aimed at, ember for too many; dark at both ends. */
const DENSITY: readonly Rgb[] = [
  [52, 38, 104],
  [98, 108, 176],
  [222, 219, 211],
  [222, 144, 84],
  [138, 46, 16],
];
const STRETCH: readonly Rgb[] = [
  [222, 219, 211],
  [222, 150, 84],
  [138, 46, 16],
];
const ONCE: Rgb = [196, 194, 188];
const TWICE: Rgb = [176, 58, 62];
const UPRIGHT: Rgb = [150, 176, 152];
const MIRRORED: Rgb = [206, 164, 82];

/** Densities from a quarter to four times the target span the scale; stretch from 1 to 4. */
export const DENSITY_SPAN = 2;
const STRETCH_SPAN = 2;

function along(scale: readonly Rgb[], share: number): Rgb {
  const at = Math.min(1, Math.max(0, share)) * (scale.length - 1);
  const low = scale[Math.floor(at)] ?? ONCE;
  const high = scale[Math.ceil(at)] ?? ONCE;
  const mix = at - Math.floor(at);
  return low.map((c, i) => Math.round(c + ((high[i] ?? 0) - c) * mix)) as unknown as Rgb;
}

const SCALES = { density: DENSITY, stretch: STRETCH, off: HEAT };

export const css = (scale: keyof typeof SCALES) => gradient(SCALES[scale]);

/** Neighbouring numbers lie far apart on the colour wheel. */
function islandColor(number: number): Rgb {
  const hue = (number * 137.508) % 360;
  const channel = (n: number) => {
    const k = (n + hue / 30) % 12;
    return Math.round(255 * (0.6 - 0.22 * Math.max(-1, Math.min(k - 3, 9 - k, 1))));
  };
  return [channel(0), channel(8), channel(4)];
}

/** Four bytes per triangle: its colour, and 255 where it is to be hatched. Null for looks that are not a colour per triangle. */
export function tintsOf(
  look: LayoutLook,
  data: MeshData,
  report: UvReport,
  target: number,
  off: LowOff | null,
): Uint8Array | null {
  if (look === "checker" || look === "blur") return null;
  if (look === "off" && off?.triangles.length !== data.index.length / 3) return null;
  const island = data.uints("island");
  const density = data.floats("density");
  const stretch = data.floats("stretch");
  const overlapping = data.bytes("overlapping");
  if (!island || !density || !stretch || !overlapping) return null;
  const tints = new Uint8Array(island.length * 4);
  for (let t = 0; t < island.length; t++) {
    const mirrored = report.islands[island[t] ?? 0]?.mirrored ?? false;
    let color: Rgb = ONCE;
    let hatched = false;
    if (look === "density") {
      const off = Math.log2(Math.max(1e-9, density[t] ?? 0) / Math.max(1e-9, target));
      color = along(DENSITY, 0.5 + off / (2 * DENSITY_SPAN));
      hatched = (density[t] ?? 0) === 0;
    } else if (look === "stretch") {
      const of = stretch[t] ?? 0;
      color = along(STRETCH, of > 0 ? Math.log2(of) / STRETCH_SPAN : 1);
      hatched = of === 0;
    } else if (look === "off") {
      color = along(HEAT, (off?.triangles[t] ?? 0) / Math.max(1e-12, off?.max ?? 0));
    } else if (look === "facing") {
      color = mirrored ? MIRRORED : UPRIGHT;
      hatched = mirrored;
    } else if (look === "overlap") {
      hatched = overlapping[t] === 1;
      color = hatched ? TWICE : ONCE;
    } else {
      color = islandColor(island[t] ?? 0);
    }
    tints.set([...color, hatched ? 255 : 0], t * 4);
  }
  return tints;
}

/** Corners of the edges where islands end, three numbers per point, two points an edge. */
export function seamLines(data: MeshData): Uint32Array {
  const known = seams.get(data) ?? findSeams(data);
  seams.set(data, known);
  return known;
}

/** Those of meshes that are drawn: both stages, and every selection, ask for them. */
const seams = new WeakMap<MeshData, Uint32Array>();

function findSeams(data: MeshData): Uint32Array {
  const position = data.floats("position");
  const uv = data.floats("uv");
  if (!position || !uv) return new Uint32Array();
  const key = (corner: number) =>
    `${position[corner * 3]},${position[corner * 3 + 1]},${position[corner * 3 + 2]},${uv[corner * 2]},${uv[corner * 2 + 1]}`;
  const seen = new Map<string, [number, number, number]>();
  for (let t = 0; t * 3 < position.length / 3; t++) {
    const keys = [key(t * 3), key(t * 3 + 1), key(t * 3 + 2)];
    for (let i = 0; i < 3; i++) {
      const [a, b] = [keys[i] ?? "", keys[(i + 1) % 3] ?? ""];
      const edge = a < b ? `${a}|${b}` : `${b}|${a}`;
      const known = seen.get(edge);
      if (known) known[2]++;
      else seen.set(edge, [t * 3 + i, t * 3 + ((i + 1) % 3), 1]);
    }
  }
  const ends: number[] = [];
  for (const [a, b, uses] of seen.values()) if (uses === 1) ends.push(a, b);
  return new Uint32Array(ends);
}
