// What the low-poly's surface shows: the maps of a run, or what a stop paints over it in their place.
import type * as THREE from "three";
import type { Sheets } from "../sheets";
import type { MaterialView } from "./material";

export type Paint =
  /** Maps of a run, one texture per sheet; none leaves it bare. `green` is which way a normal map's green points,
   *  `strength` how many times as far as it says it leans. */
  | {
      kind: "maps";
      textures: THREE.Texture[];
      sheets: Sheets | null;
      normal: boolean;
      green: 1 | -1;
      strength: number;
    }
  /** A colour per triangle, four bytes each; the fourth hatches. */
  | { kind: "tints"; tints: Uint8Array }
  /** A picture over the UVs. */
  | { kind: "picture"; texture: THREE.Texture }
  /** Lit as what its maps say it is. */
  | ({ kind: "material" } & MaterialView)
  /** Scratches of a width in scene units, as `texels` a side hold them at the density of each triangle (UV units per scene unit): right of
   *  the wipe, or all over where two paints are compared. */
  | { kind: "detail"; width: number; texels: number; densities: Float32Array | null };

/** Numbers of the shader's modes. */
export const MODES = { bare: 0, normal: 1, color: 2, tints: 3, picture: 4, detail: 5, material: 6 } as const;

export const modeOf = (paint: Paint): number => {
  if (paint.kind !== "maps") return MODES[paint.kind];
  if (paint.textures.length === 0) return MODES.bare;
  return paint.normal ? MODES.normal : MODES.color;
};

/** How a mask shows over the model. */
export type MaskLook = keyof typeof MASK_LOOKS;

/** Numbers of the shader's ways. */
export const MASK_LOOKS = { hatched: 1, tint: 2, outline: 3, grey: 4 } as const;
