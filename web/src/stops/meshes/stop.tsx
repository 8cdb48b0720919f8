import { useMeshFindings } from "../../api/queries";
import { standing, useWhole } from "../standing";
import type { Stop } from "../stop";
import { LayoutOnModel, LayoutOnSheet, useLayoutPainting } from "./layout/layers";
import { LayoutLegend } from "./layout/legend";
import { MeshesStop } from "./panel";
import { setMeshes } from "./state";

export const meshes: Stop = {
  id: "meshes",
  label: "Meshes",
  Panel: MeshesStop,
  useState: () => standing(useMeshFindings().data?.findings ?? [], useWhole()),
  ModelLayers: LayoutOnModel,
  SheetLayers: LayoutOnSheet,
  Legend: LayoutLegend,
  usePainting: useLayoutPainting,
  left: () => setMeshes({ layout: null }),
};
