// The sheet stage: one map's texels, sharp at any zoom, with the UV wires over them and the texel under the pointer told; layers of
// stops over it, and beside it what a stop has to tell of a place.
import { type ReactNode, type RefObject, useEffect, useMemo, useRef, useState } from "react";
import { useAsset, useRunDetail, useShownRun } from "../../api/queries";
import { StageMessage } from "../../ui/stage-tools";
import { useTwo } from "../against";
import { Beside } from "../beside";
import { useCapture } from "../capture";
import { clicked, cursorKey, Press } from "../clicks";
import { hover } from "../hover";
import { UvFinder } from "../mesh-data";
import { useSheets, uvsOn } from "../sheets";
import { useDisplay } from "../use-display";
import { useView } from "../view";
import { WipeHandle } from "../wipe-handle";
import { Cross, Lit } from "./layers";
import { type SheetScene, SheetSceneProvider } from "./scene";
import { SheetView } from "./sheet-view";
import { useShownPicture } from "./shown";
import { TexelProbe } from "./texel-probe";
import { ChannelFilters, Tools, Zoom } from "./tools";
import { useLoadedPicture } from "./use-image";

export interface SheetSlots {
  /** What stops draw over the sheet. */
  layers: ReactNode;
  /** Set while a stop paints the sheet in place of its maps: the name it goes by, and what it tells of the place pointed at. */
  painting: { name: string | null; probe: ReactNode; clicks?: boolean } | null;
  /** Beside the sheet. */
  aside: ReactNode;
}

export function SheetStage(slots: SheetSlots) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [view, zoom] = useSheetView(canvas);
  const shown = useShownPicture();
  const run = useShownRun();
  const two = useTwo();
  const scene = useSheetSceneOf(view, shown.number);
  const { channel, uvWires, tiled } = useView();
  const { painting } = slots;
  const image = useLoadedPicture(shown.url, shown.squares);
  const host = useRef<HTMLDivElement>(null);
  const [wipe, setWipe] = useState(0.5);
  // The other of two compared runs is there before it is asked for.
  const next = shown.other ?? shown.ahead;
  const second = useLoadedPicture(next?.url ?? null, next?.squares);
  const how = shown.other?.how ?? null;
  const sides = two && ([`run ${run?.number}`, `run ${two.other.number}`] as const);
  useEffect(
    () => view?.setOther(second && how ? { image: second, how, share: wipe } : null),
    [view, second, how, wipe],
  );
  useEffect(() => view?.setImage(image, shown.size), [view, image, shown.size]);
  useEffect(
    () => view?.show(painting?.name || shown.heat ? "all" : channel, uvWires, tiled),
    [view, channel, uvWires, tiled, painting?.name, shown.heat],
  );
  const hands = useHands(view, scene, painting ? painting.clicks === true : run !== null, shown.size);
  useCapture(
    "sheet",
    useMemo(() => view && ((width: number) => view.capture(width)), [view]),
  );
  const { landing, draft } = shown;
  return (
    <section
      aria-label="Sheet stage"
      data-picture={shown.url ?? undefined}
      className="group/sheet flex h-full min-w-0 flex-col bg-stage"
      onPointerLeave={() => hover.set(null)}
    >
      <div ref={host} className="relative min-h-0 grow overflow-hidden">
        <ChannelFilters />
        <canvas
          ref={canvas}
          tabIndex={0}
          role="application"
          aria-label="Sheet: arrows move it, plus and minus zoom, 0 fits, Shift with arrows moves the cursor, Enter traces there"
          className="absolute inset-0 size-full touch-none -outline-offset-2"
          {...hands}
        />
        <SheetSceneProvider value={scene}>
          <Lit />
          {slots.layers}
          <Cross />
        </SheetSceneProvider>
        {how === "wipe" && sides && <WipeHandle share={wipe} onMove={setWipe} host={host} sides={sides} />}
        {how === "beside" && <Beside sides={sides} />}
        <Tools shown={shown} painting={painting?.name ?? null} />
        <Zoom size={shown.size} zoom={zoom} onFit={() => view?.fit()} />
        {painting?.probe}
        {run && !landing && !painting && (
          <TexelProbe run={two?.shows === "other" ? two.other : run} sheet={shown.number} map={shown.map} />
        )}
        {draft && (
          <span
            role="status"
            aria-label="Live preview"
            data-took={Math.round(draft.took)}
            className="num absolute top-10 left-2.5 rounded bg-ember-fill px-2 py-0.5 text-on-ember"
          >
            Live preview: {Math.round(draft.took)} ms
          </span>
        )}
        {landing && (
          <span
            className={`absolute rounded bg-ember-fill px-2 py-0.5 text-on-ember ${painting ? "top-10 left-2.5" : "bottom-3 left-3"}`}
          >
            Baking: {Math.round(landing.share * 100)} %
          </span>
        )}
        {!run && !landing && !painting && <Empty />}
      </div>
      {slots.aside}
    </section>
  );
}

function Empty() {
  const detail = useRunDetail();
  const asset = useAsset().data;
  const lit = useView((s) => s.lit);
  if (lit) return null;
  if (detail.isError)
    return <StageMessage title="The run cannot be shown">{detail.error.message}</StageMessage>;
  return (
    <StageMessage title="No map yet">
      {asset && asset.runs.length === 0
        ? "Bake a proof to see the first one here."
        : "It appears here when the bake is done."}
    </StageMessage>
  );
}

/** The view on a canvas, and its zoom in pixels a texel. */
function useSheetView(canvas: RefObject<HTMLCanvasElement | null>): [SheetView | null, number] {
  const [view, setView] = useState<SheetView | null>(null);
  const [zoom, setZoom] = useState(1);
  useEffect(() => {
    if (!canvas.current) return;
    const made = new SheetView(canvas.current, setZoom);
    setView(made);
    return () => {
      made.dispose();
      setView(null);
    };
  }, [canvas]);
  return [view, zoom];
}

function useSheetSceneOf(view: SheetView | null, number: number): SheetScene {
  const low = useDisplay("low").data ?? null;
  const sheets = useSheets(low);
  useEffect(() => view?.setUvs(low ? uvsOn(low, sheets, number) : null), [view, low, sheets, number]);
  return useMemo(() => ({ view, low, sheets, number }), [view, low, sheets, number]);
}

/** Hands on the sheet: pointing tells both stages the place, a click does what a stop lends it to do. */
function useHands(view: SheetView | null, scene: SheetScene, clicks: boolean, size: number) {
  const { low, sheets, number } = scene;
  // The keyboard's cursor moves by a texel, or by so much that it is seen to move.
  const step = Math.max(1 / Math.max(1, size), 1 / 256);
  // A press outlives what it began on: a proof may land before the release.
  const press = useRef(new Press()).current;
  return useMemo(() => {
    const finder = low && new UvFinder(low, sheets);
    const point = (uv: [number, number] | null) => {
      if (!uv) return hover.set(null);
      const place = finder?.find(...uv, number) ?? null;
      const { point = null, part = null, triangle = null } = place ?? {};
      hover.set({ from: "sheet", uv, sheet: number, point, part, triangle });
    };
    return {
      onKeyDown: (e: React.KeyboardEvent) => {
        const asked = cursorKey(e);
        const [u, v] = hover.get()?.uv ?? [0.5, 0.5];
        const inside = (x: number) => Math.min(0.9999, Math.max(0, x));
        if (asked === "click") {
          const place = hover.get();
          if (place && clicks) clicked(place, e);
        } else if (asked) point([inside(u + asked[0] * step), inside(v - asked[1] * step)]);
        if (asked) e.preventDefault();
      },
      onPointerMove: (e: React.PointerEvent) => {
        if (!view?.quiet) point(view?.uvAt(e.clientX, e.clientY) ?? null);
      },
      onPointerDown: (e: React.PointerEvent) => press.down(e),
      onPointerUp: (e: React.PointerEvent) => {
        const place = hover.get();
        if (press.up(e) && place && clicks) clicked(place, e);
      },
    };
  }, [view, low, sheets, number, clicks, step, press]);
}
