import { useMeshFindings } from "../../api/queries";
import { standing, useWhole } from "../standing";
import type { Stop } from "../stop";
import { LayoutOnModel, LayoutOnSheet, useLayoutPainting } from "./layout/layers";
import { LayoutLegend } from "./layout/legend";
import { MeshesStop } from "./panel";
import { setMeshes } from "./state";
import { UvsOnModel } from "./uvs/layers";
import { UvsOnSheet } from "./uvs/on-sheet";
import { putDown, useUvs } from "./uvs/state";

function OnModel() {
  return (
    <>
      <LayoutOnModel />
      <UvsOnModel />
    </>
  );
}

function OnSheet() {
  return (
    <>
      <LayoutOnSheet />
      <UvsOnSheet />
    </>
  );
}

export const meshes: Stop = {
  id: "meshes",
  label: "Meshes",
  Panel: MeshesStop,
  useState: () => standing(useMeshFindings().data?.findings ?? [], useWhole()),
  ModelLayers: OnModel,
  SheetLayers: OnSheet,
  Legend: LayoutLegend,
  usePainting: useLayoutPainting,
  close: () => {
    if (useUvs.getState().hand === null) return false;
    putDown();
    return true;
  },
  left: () => {
    setMeshes({ layout: null });
    putDown();
  },
};
