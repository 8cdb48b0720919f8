// The model stage: the low-poly with its maps, the sculpt, and the two compared; layers of stops over them.
import { type ReactNode, type RefObject, useEffect, useMemo, useRef, useState } from "react";
import { useOpen } from "../../api/open";
import { useShownRun } from "../../api/queries";
import { StageTools, Tag, ToolSegment, ToolToggle } from "../../ui/stage-tools";
import { useTwo } from "../against";
import { Beside } from "../beside";
import { useCapture } from "../capture";
import { useHidden } from "../hidden";
import { useSheets } from "../sheets";
import { useDisplay } from "../use-display";
import { type Look, show, useView } from "../view";
import { WipeHandle } from "../wipe-handle";
import { Lamp, type LightPlace, lightDirection } from "./lamp";
import { Lit, Marker, Wires } from "./layers";
import { MapsPaint } from "./maps-paint";
import { GridNote, Notices, StandIn } from "./notices";
import { usePointing } from "./pointing";
import { type Scene, SceneProvider } from "./scene";
import { Viewer } from "./viewer";

const LOOKS: [Look, string][] = [
  ["low", "Low"],
  ["baked", "Baked"],
  ["sculpt", "Sculpt"],
  ["wipe", "Wipe"],
  ["beside", "Side by side"],
];

export interface ModelSlots {
  /** What stops draw over the model. */
  layers: ReactNode;
  /** Their tools beside the stage's own, what their colours mean, and tools in place of the looks while they paint the model. */
  tools: ReactNode;
  legend: ReactNode;
  /** Set while a stop paints the model in place of its maps: its tools, and the sides of its wipe if it has one. */
  painting: { tools: ReactNode | null; sides: readonly [string, string] | null } | null;
}

export function ModelStage(slots: ModelSlots) {
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [viewer, failed] = useViewer(canvas, host);
  const scene = useSceneOf(viewer);
  const [wipe, setWipe] = useState(0.5);
  const [light, setLight] = useState<LightPlace>([-0.45, 0.5]);
  const look = useView((s) => s.look);
  const apart = useView((s) => s.apart);
  const hidden = useHidden();
  const low = scene?.low?.data;
  const sheets = useSheets(low);
  const hands = usePointing(scene, sheets);
  useEffect(() => {
    viewer?.show({ look, wipe, light: lightDirection(light), hidden, apart });
  }, [viewer, look, wipe, light, hidden, apart]);
  useWishes(viewer);
  useCapture(
    "model",
    useMemo(() => viewer && (async (width: number) => viewer.capture(width)), [viewer]),
  );
  const painting = slots.painting?.tools ? slots.painting : null;
  const wiped = look === "wipe" && !painting ? (["baked", "sculpt"] as const) : null;
  const two = useTwo();
  const run = useShownRun();
  const compared = two?.shows === "wipe" || two?.shows === "beside" ? two : null;
  const runs = compared && ([`run ${run?.number}`, `run ${compared.other.number}`] as const);
  const sides = slots.painting?.sides ?? (compared?.shows === "wipe" ? runs : compared ? null : wiped);
  return (
    <section
      ref={host}
      aria-label="Model stage"
      data-shown={scene?.low && scene.high ? "both" : scene?.low || scene?.high ? "one" : "none"}
      className="relative h-full min-w-0 overflow-hidden bg-stage"
      {...hands}
    >
      <canvas
        ref={canvas}
        tabIndex={0}
        role="application"
        aria-label="Model: arrows turn it, plus and minus zoom, Shift with arrows moves the cursor, Enter traces there"
        className="absolute inset-0 size-full touch-none -outline-offset-2"
      />
      <SceneProvider value={scene}>
        <MapsPaint />
        <Wires />
        <Lit />
        <Marker />
        {slots.layers}
      </SceneProvider>
      <StageTools>
        <Tag yields>MODEL</Tag>
        {painting ? painting.tools : <Looks />}
        <WiresToggle />
        {!slots.painting && <MaterialToggle />}
        {slots.tools}
      </StageTools>
      {sides && <WipeHandle share={wipe} onMove={setWipe} host={host} sides={sides} />}
      {compared?.shows === "beside" ? (
        <Beside sides={runs} />
      ) : (
        !painting && look === "beside" && <Beside sides={["baked", "sculpt"]} />
      )}
      <SceneProvider value={scene}>
        <Lamp place={light} onMove={setLight} />
      </SceneProvider>
      <div className="pointer-events-none absolute right-24 bottom-3 left-3 flex flex-col items-start gap-1 text-xs text-on-stage">
        {slots.legend}
        <StandIn />
        <GridNote />
      </div>
      <Notices failed={failed} />
    </section>
  );
}

function Looks() {
  const look = useView((s) => s.look);
  return (
    <ToolSegment
      label="What the model stage shows"
      options={LOOKS}
      folds
      value={look}
      onChange={(v) => show({ look: v })}
    />
  );
}

function WiresToggle() {
  const wires = useView((s) => s.wires);
  return <ToolToggle label="Wires" on={wires} onChange={(v) => show({ wires: v })} />;
}

/** The whole material of a run, where it has one, or its normal map on grey. */
function MaterialToggle() {
  const material = useView((s) => s.material);
  const normal = useView((s) => s.map === "normal");
  const run = useShownRun();
  if (!normal || !run?.report?.maps["base-color"] || run.report.sheets.length > 1) return null;
  return <ToolToggle label="Material" on={material} onChange={(v) => show({ material: v })} />;
}

/** The viewer on a canvas that fills its host, and whether there can be none. */
function useViewer(
  canvas: RefObject<HTMLCanvasElement | null>,
  host: RefObject<HTMLDivElement | null>,
): [Viewer | null, boolean] {
  const [viewer, setViewer] = useState<Viewer | null>(null);
  const [failed, setFailed] = useState(false);
  useEffect(() => {
    const [area, box] = [canvas.current, host.current];
    if (!area || !box) return;
    let made: Viewer;
    try {
      made = new Viewer(area);
    } catch {
      setFailed(true);
      return;
    }
    setViewer(made);
    const fit = new ResizeObserver(() => made.resize(box.clientWidth, box.clientHeight));
    fit.observe(box);
    return () => {
      fit.disconnect();
      made.dispose();
      setViewer(null);
    };
  }, [canvas, host]);
  return [viewer, failed];
}

/** The meshes of the asset that is open, on the stage. */
function useSceneOf(viewer: Viewer | null): Scene | null {
  const [scene, setScene] = useState<Scene | null>(null);
  const asset = useOpen((s) => s.asset);
  const low = useDisplay("low").data ?? null;
  const high = useDisplay("high").data ?? null;
  useEffect(() => {
    if (!viewer) return setScene(null);
    const side = viewer.setLow(low);
    setScene((s) => ({ viewer, low: side, high: s?.high ?? null }));
  }, [viewer, low]);
  useEffect(() => {
    if (!viewer) return;
    const side = viewer.setHigh(high);
    setScene((s) => ({ viewer, low: s?.low ?? null, high: side }));
  }, [viewer, high]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a mesh that came in may be out of view
  useEffect(() => {
    if (asset !== null) viewer?.keepInView(asset);
  }, [viewer, asset, low, high]);
  return scene;
}

/** Turns to what a stop asks to be looked at. */
function useWishes(viewer: Viewer | null) {
  const wish = useView((s) => s.wish);
  const last = useRef(0);
  useEffect(() => {
    if (!viewer || wish.turn === last.current) return;
    last.current = wish.turn;
    viewer.frame(wish.point);
  }, [viewer, wish]);
}
