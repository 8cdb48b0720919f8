// What the Meshes stop knows: how the low-poly's layout is looked at.
import { create } from "zustand";
import type { LayoutLook } from "./layout/looks";

interface Meshes {
  /** A look at the layout in place of maps; null shows maps. */
  layout: LayoutLook | null;
  /** The layout as the file has it stands left of a line, before its steps on UVs. */
  compared: boolean;
  /** Texels per scene unit that are aimed at; null takes the median. */
  target: number | null;
}

export const useMeshes = create<Meshes>()(() => ({ layout: null, compared: false, target: null }));
export const setMeshes = (change: Partial<Meshes>) => useMeshes.setState(change);
