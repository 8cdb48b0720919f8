// What the sheet stage lends to layers: the view, the low-poly, and which sheet is looked at. A layer is a component of a stop that
// stands in the stage's tree, as on the model stage.
import { createContext, useContext, useEffect } from "react";
import type { MeshData } from "../mesh-data";
import type { Sheets } from "../sheets";
import type { SheetHand, SheetLayer, SheetView } from "./sheet-view";

export interface SheetScene {
  view: SheetView | null;
  low: MeshData | null;
  sheets: Sheets | null;
  /** Which sheet, counted from 0. */
  number: number;
}

const NOTHING: SheetScene = { view: null, low: null, sheets: null, number: 0 };
const SceneContext = createContext<SheetScene>(NOTHING);
export const SheetSceneProvider = SceneContext.Provider;
export const useSheetScene = () => useContext(SceneContext);

/** Draws over the sheet, while there is a layer. */
export function useSheetLayer(layer: SheetLayer | null) {
  const { view } = useSheetScene();
  useEffect(() => (layer && view ? view.add(layer) : undefined), [view, layer]);
}

/** Takes drags that begin on the sheet, while there is a hand. */
export function useSheetHand(hand: SheetHand | null) {
  const { view } = useSheetScene();
  useEffect(() => (hand && view ? view.lend(hand) : undefined), [view, hand]);
}

/** Shows a picture over the UVs in place of the map, while there is one. */
export function useSheetPainting(painting: HTMLCanvasElement | null) {
  const { view } = useSheetScene();
  useEffect(() => {
    if (!view || !painting) return;
    view.setPainting(painting);
    return () => view.setPainting(null);
  }, [view, painting]);
}
