// What the model stage lends to layers: the viewer, the meshes on it, and hooks that add to the scene for as long as a layer wants
// it there. A layer is a component of a stop that stands in the stage's tree; it draws by these hooks, and what it returns lies over
// the stage.
import { createContext, type PointerEvent, useContext, useEffect } from "react";
import type * as THREE from "three";
import { partAt } from "../mesh-data";
import type { LowSide, Side } from "./meshes";
import type { Paint } from "./paint";
import type { Pointed } from "./pointed";
import type { Viewer } from "./viewer";

export interface Scene {
  viewer: Viewer;
  low: LowSide | null;
  high: Side | null;
}

const SceneContext = createContext<Scene | null>(null);
export const SceneProvider = SceneContext.Provider;

/** The stage's scene; null until it can draw. */
export const useScene = () => useContext(SceneContext);

type Drawn = THREE.Object3D & { geometry?: THREE.BufferGeometry; material?: THREE.Material };

function letGo(object: THREE.Object3D) {
  object.traverse((child) => {
    (child as Drawn).geometry?.dispose();
    (child as Drawn).material?.dispose();
  });
}

/** Draws objects, whose geometries and materials are the layer's own; they go when `make` changes or the layer does. */
export function useDrawn(make: (scene: Scene) => readonly THREE.Object3D[] | null) {
  const scene = useScene();
  useEffect(() => {
    const made = scene && make(scene);
    if (!made || made.length === 0) return;
    scene.viewer.add(...made);
    return () => {
      scene.viewer.remove(...made);
      for (const object of made) letGo(object);
    };
  }, [scene, make]);
}

/** Two paints of the low-poly, wiped or side by side. */
export interface Against {
  how: "wipe" | "beside";
  left: Paint;
  right: Paint;
}

/** Paints the low-poly's surface in place of its maps, while there is a paint; two of them where they are compared. */
export function usePaint(paint: Paint | null, against: Against | null = null) {
  const scene = useScene();
  useEffect(() => {
    if (!scene || !paint) return;
    scene.viewer.setOver(paint, against);
    return () => scene.viewer.setOver(null);
  }, [scene, paint, against]);
}

/** Hears of what is dropped on the model: its text, and the part that it fell on. */
export function useDropped(kind: string, onDrop: (text: string, part: string) => void) {
  const scene = useScene();
  useEffect(() => {
    const low = scene?.low;
    if (!scene || !low) return;
    const { area } = scene.viewer;
    const over = (e: DragEvent) => {
      if (e.dataTransfer?.types.includes(kind)) e.preventDefault();
    };
    const drop = (e: DragEvent) => {
      const text = e.dataTransfer?.getData(kind);
      if (!text) return;
      e.preventDefault();
      const box = area.getBoundingClientRect();
      const at = scene.viewer.pick(e.clientX - box.left, e.clientY - box.top);
      const part = at && partAt(low.data, at.triangle * 3);
      if (part) onDrop(text, part);
    };
    area.addEventListener("dragover", over);
    area.addEventListener("drop", drop);
    return () => {
      area.removeEventListener("dragover", over);
      area.removeEventListener("drop", drop);
    };
  }, [scene, kind, onDrop]);
}

/** What takes drags that begin on the low-poly. Others turn the model, and so does one with Alt. */
export interface Tool {
  press: (at: Pointed, e: PointerEvent) => void;
  drag: (at: Pointed | null, e: PointerEvent) => void;
  release: () => void;
  /** The pointer moves over the stage; null beside the model and when it leaves. */
  hover: (at: Pointed | null, e: PointerEvent | null) => void;
}

const tools = new WeakMap<Viewer, Tool>();
export const toolOf = (viewer: Viewer) => tools.get(viewer) ?? null;

/** Lends a tool to the stage; null takes it away. */
export function useTool(tool: Tool | null) {
  const scene = useScene();
  useEffect(() => {
    if (!scene || !tool) return;
    tools.set(scene.viewer, tool);
    return () => {
      tool.hover(null, null);
      tools.delete(scene.viewer);
    };
  }, [scene, tool]);
}

/** Calls after every drawing, where something in the page has to follow the model. */
export function useOnDraw(follow: (scene: Scene) => void) {
  const scene = useScene();
  useEffect(() => {
    if (!scene) return;
    const end = scene.viewer.onDraw(() => follow(scene));
    scene.viewer.draw();
    return end;
  }, [scene, follow]);
}
