// Display meshes of the asset that is open, fetched once for each set of files.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { useAsset } from "../api/queries";
import { type MeshData, readMesh } from "./mesh-data";

/** The mesh of a side; "before" asks for the low-poly without its steps on UVs, null for none. */
export function useDisplay(side: "low" | "high", wanted: "now" | "before" | null = "now") {
  const asset = useAsset().data;
  const sources = asset?.recipe[side] ?? [];
  const files = sources.length > 0 ? JSON.stringify(sources) : "";
  return useQuery<MeshData>({
    queryKey: ["display", asset?.id, side, files, wanted],
    queryFn: async ({ signal }) =>
      readMesh(await api.display(asset?.id ?? 0, side, wanted === "before", signal)),
    enabled: Boolean(asset && files && wanted),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    structuralSharing: false,
  });
}
