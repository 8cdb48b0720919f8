// Display meshes of the asset that is open, fetched once for each set of files.
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { useAsset } from "../api/queries";
import { type MeshData, readMesh } from "./mesh-data";

export function useDisplay(side: "low" | "high") {
  const asset = useAsset().data;
  const sources = asset?.recipe[side] ?? [];
  const files = sources.length > 0 ? JSON.stringify(sources) : "";
  return useQuery<MeshData>({
    queryKey: ["display", asset?.id, side, files],
    queryFn: async ({ signal }) => readMesh(await api.display(asset?.id ?? 0, side, signal)),
    enabled: Boolean(asset && files),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    structuralSharing: false,
  });
}
