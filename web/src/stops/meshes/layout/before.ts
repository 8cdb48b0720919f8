// The low-poly before its steps on UVs, for looks that compare the two layouts.
import type { MeshData } from "../../../stages/mesh-data";
import { useDisplay } from "../../../stages/use-display";
import { useMeshes } from "../state";
import { useUvState } from "../uvs/edit";
import { COMPARED_LOOKS } from "./looks";

/** Null unless they are compared. */
export function useBefore(): MeshData | null {
  const { layout, compared } = useMeshes();
  const edited = useUvState().data?.before != null;
  const wanted = compared && edited && layout !== null && COMPARED_LOOKS.includes(layout);
  return useDisplay("low", wanted ? "before" : null).data ?? null;
}
