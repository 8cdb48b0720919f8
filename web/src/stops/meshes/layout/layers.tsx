// Looks at the layout on both stages: colours by triangle, the checker, blur as texels will hold it, and the borders of islands.
import { useCallback, useEffect, useMemo, useState } from "react";
import * as THREE from "three";
import { useAsset, useLowOff, useUvReport } from "../../../api/queries";
import { useHover } from "../../../stages/hover";
import type { MeshData } from "../../../stages/mesh-data";
import { linesOf } from "../../../stages/model/lines";
import type { Paint } from "../../../stages/model/paint";
import { type Scene, useDrawn, usePaint, useScene } from "../../../stages/model/scene";
import { linePaths } from "../../../stages/sheet/paths";
import { useSheetLayer, useSheetPainting, useSheetScene } from "../../../stages/sheet/scene";
import type { Pen } from "../../../stages/sheet/sheet-view";
import { Probe } from "../../../stages/sheet/texel-probe";
import { useDisplay } from "../../../stages/use-display";
import { StageSelect } from "../../../ui/select";
import { ToolToggle } from "../../../ui/stage-tools";
import type { Painting } from "../../stop";
import { setMeshes, useMeshes } from "../state";
import { useUvs } from "../uvs/state";
import { useBefore } from "./before";
import { drawChecker } from "./checker";
import { looksFor, seamLines, tintsOf } from "./looks";
import { linesOn, paintLayout } from "./paint";

/** Width of the scratches that blur is shown on, in texels where the density is what is aimed at. */
const SCRATCH = 2;
const SEAM = new THREE.Vector4(0.08, 0.05, 0.04, 0.95);

/** The density that is aimed at, in sheets a scene unit, the report it comes from, and how far the sculpt is off where that is looked at. */
function useAim() {
  const layout = useMeshes((s) => s.layout);
  const off = useLowOff(layout === "off").data ?? null;
  const target = useMeshes((s) => s.target);
  const report = useUvReport(layout !== null).data ?? null;
  const aim = target ? target / (report?.size ?? 1) : (report?.median_density ?? 0);
  return { layout, report, aim, off };
}

export function LayoutOnModel() {
  const { layout, report, aim, off } = useAim();
  const scene = useScene();
  const low = scene?.low?.data;
  const before = useBefore();
  const checker = useChecker(layout === "checker");
  const paintOf = useCallback(
    (data: MeshData | undefined): Paint | null => {
      if (!layout || !data) return null;
      if (layout === "checker") return checker && { kind: "picture", texture: checker };
      const texels = report?.size ?? 1024;
      const densities = data.floats("density");
      if (layout === "blur")
        return { kind: "detail", width: SCRATCH / Math.max(1e-9, aim * texels), texels, densities };
      const tints = report && tintsOf(layout, data, report, aim, off);
      return tints && { kind: "tints", tints };
    },
    [layout, report, aim, off, checker],
  );
  const paint = useMemo(() => paintOf(low), [paintOf, low]);
  const against = useMemo(() => {
    const left = before ? paintOf(before) : null;
    return left && paint && ({ how: "wipe", left, right: paint } as const);
  }, [paintOf, before, paint]);
  usePaint(paint, against);
  const seams = useCallback(
    ({ low }: Scene) =>
      layout && low ? [linesOf(low.mesh.geometry, seamLines(low.data), SEAM, true)] : null,
    [layout],
  );
  useDrawn(seams);
  return null;
}

/** The checker as a texture, while it is wanted. */
function useChecker(wanted: boolean): THREE.Texture | null {
  const scene = useScene();
  const [texture, setTexture] = useState<THREE.Texture | null>(null);
  useEffect(() => {
    if (!wanted || !scene) return;
    const made = new THREE.CanvasTexture(drawChecker());
    made.colorSpace = THREE.NoColorSpace;
    made.anisotropy = scene.viewer.anisotropy;
    made.wrapS = THREE.RepeatWrapping;
    made.wrapT = THREE.RepeatWrapping;
    setTexture(made);
    return () => {
      setTexture(null);
      made.dispose();
    };
  }, [wanted, scene]);
  return texture;
}

export function LayoutOnSheet() {
  const { layout, report, aim, off } = useAim();
  const { low, sheets, number } = useSheetScene();
  const painted = useMemo(() => {
    if (!layout || layout === "blur" || !low || !report) return null;
    if (layout === "checker") return drawChecker();
    const tints = tintsOf(layout, low, report, aim, off);
    return tints && paintLayout(low, sheets, number, tints);
  }, [layout, low, report, aim, off, sheets, number]);
  useSheetPainting(painted);
  const seams = useMemo(() => {
    if (!layout || !low) return null;
    const paths = linePaths(linesOn(low, sheets, number, seamLines(low)));
    return (pen: Pen) => pen.path(paths, { line: "#1d1a17", width: 1.4 });
  }, [layout, low, sheets, number]);
  useSheetLayer(seams);
  return null;
}

export function useLayoutPainting(): Painting | null {
  const layout = useMeshes((s) => s.layout);
  // Hands at the UVs work on the sheet as on the model.
  const clicks = useUvs((s) => s.hand !== null);
  const before = useBefore();
  const sculpt = useAsset().data?.meshes.some((mesh) => mesh.role === "high") ?? false;
  if (!layout)
    return clicks ? { name: null, tools: null, clicks, sides: null, probe: <IslandProbe /> } : null;
  return {
    name: "LAYOUT",
    clicks,
    tools: (
      <>
        <StageSelect
          label="Look at the layout"
          options={looksFor(sculpt)}
          value={layout}
          onChange={(look) => setMeshes({ layout: look })}
        />
        <ToolToggle label="Back to maps" on={false} onChange={() => setMeshes({ layout: null })} />
      </>
    ),
    sides: before ? ["as in the file", "now"] : layout === "blur" ? ["full detail", "in texels"] : null,
    probe: <IslandProbe />,
  };
}

/** The island under the pointer. */
function IslandProbe() {
  const triangle = useHover((h) => h?.triangle ?? null);
  const pointed = useHover((h) => h !== null);
  const report = useUvReport().data;
  const islands = useDisplay("low").data?.uints("island");
  if (!pointed || !report) return null;
  const island = triangle === null ? undefined : report.islands[islands?.[triangle] ?? -1];
  return (
    <Probe label="Island under the pointer">
      {island ? (
        <>
          <b>
            Island {island.number} of {island.part}
          </b>
          <span>{(island.density * report.size).toFixed(1)} texels per unit</span>
          <span>{(island.density / Math.max(1e-9, report.median_density)).toFixed(2)} of the median</span>
          <span>stretch {island.stretch.toFixed(2)}</span>
          <span>
            {island.gap === null
              ? "room around"
              : `nearest other ${(island.gap * report.size).toFixed(1)} texels`}
          </span>
        </>
      ) : (
        <span>outside every island</span>
      )}
    </Probe>
  );
}
