// The sheet stage: one map's texels, sharp at any zoom, with the UV wires over them and the texel under the pointer told; layers of
// stops over it, and beside it what a stop has to tell of a place.
import { type ReactNode, type RefObject, useEffect, useMemo, useRef, useState } from "react";
import { useAsset, useMapLabels, useShownRun } from "../../api/queries";
import { StageSelect } from "../../ui/select";
import { StageMessage, StageTools, Tag, ToolSegment, ToolToggle } from "../../ui/stage-tools";
import { clicked, cursorKey, Press } from "../clicks";
import { hover } from "../hover";
import { UvFinder } from "../mesh-data";
import { useSheets, uvsOn } from "../sheets";
import { useDisplay } from "../use-display";
import { type Channel, show, useView } from "../view";
import { Cross, Lit } from "./layers";
import { type SheetScene, SheetSceneProvider } from "./scene";
import { SheetView } from "./sheet-view";
import { type Shown, useShownPicture } from "./shown";
import { TexelProbe } from "./texel-probe";
import { useLoadedImage } from "./use-image";

const CHANNELS: [Channel, string][] = [
  ["all", "RGB"],
  ["r", "R"],
  ["g", "G"],
  ["b", "B"],
];

export interface SheetSlots {
  /** What stops draw over the sheet. */
  layers: ReactNode;
  /** Set while a stop paints the sheet in place of its maps: the name it goes by, and what it tells of the place pointed at. */
  painting: { name: string; probe: ReactNode } | null;
  /** Beside the sheet. */
  aside: ReactNode;
}

export function SheetStage(slots: SheetSlots) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const [view, zoom] = useSheetView(canvas);
  const shown = useShownPicture();
  const run = useShownRun();
  const scene = useSheetSceneOf(view, shown.number);
  const { channel, uvWires } = useView();
  const { painting } = slots;
  const image = useLoadedImage(shown.url);
  useEffect(() => view?.setImage(image, shown.size), [view, image, shown.size]);
  useEffect(() => view?.show(painting ? "all" : channel, uvWires), [view, channel, uvWires, painting]);
  const hands = useHands(view, scene, painting === null && run !== null, shown.size);
  const { landing, draft } = shown;
  return (
    <section
      aria-label="Sheet stage"
      className="flex h-full min-w-0 flex-col bg-stage"
      onPointerLeave={() => hover.set(null)}
    >
      <div className="relative min-h-0 grow overflow-hidden">
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
        <Tools shown={shown} painting={painting?.name ?? null} />
        <Zoom size={shown.size} zoom={zoom} onFit={() => view?.fit()} />
        {painting?.probe}
        {run && !landing && !painting && <TexelProbe run={run} sheet={shown.number} map={shown.map} />}
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
          <span className="absolute bottom-3 left-3 rounded bg-ember-fill px-2 py-0.5 text-on-ember">
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
  const asset = useAsset().data;
  const lit = useView((s) => s.lit);
  if (lit) return null;
  return (
    <StageMessage title="No map yet">
      {asset && asset.runs.length === 0
        ? "Bake a proof to see the first one here."
        : "It appears here when the bake is done."}
    </StageMessage>
  );
}

function Tools({ shown, painting }: { shown: Shown; painting: string | null }) {
  const { channel, uvWires } = useView();
  const label = useMapLabels();
  const { maps, map, sheets, number } = shown;
  return (
    <StageTools>
      <Tag>{painting ?? "SHEET"}</Tag>
      {map && !painting && (
        <StageSelect
          label="Map"
          options={maps.map((m) => [m, label(m)] as const)}
          value={map}
          onChange={(v) => show({ map: v })}
        />
      )}
      {sheets.length > 1 && (
        <StageSelect
          label="Which sheet"
          options={sheets.map((name, i) => [String(i), name] as const)}
          value={String(number)}
          onChange={(v) => show({ sheet: Number(v) })}
        />
      )}
      {!painting && (
        <ToolSegment
          label="Channels"
          options={CHANNELS}
          value={channel}
          onChange={(v) => show({ channel: v })}
        />
      )}
      <ToolToggle label="UVs" on={uvWires} onChange={(v) => show({ uvWires: v })} />
    </StageTools>
  );
}

function Zoom(props: { size: number; zoom: number; onFit: () => void }) {
  const { size, zoom, onFit } = props;
  const factor = zoom >= 1 ? `${zoom.toFixed(zoom < 10 ? 1 : 0)}x` : `${Math.round(zoom * 100)} %`;
  return (
    <span className="absolute right-3 bottom-3 flex items-center gap-2 text-on-stage">
      <span className="num">{size > 0 ? `${size} px, ${factor}` : ""}</span>
      <button type="button" className="h-6 rounded bg-(--stage-tool) px-2 hover:bg-black/50" onClick={onFit}>
        Fit
      </button>
    </span>
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
  return useMemo(() => {
    const finder = low && new UvFinder(low, sheets);
    const press = new Press();
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
          if (place && clicks) clicked(place);
        } else if (asked) point([inside(u + asked[0] * step), inside(v - asked[1] * step)]);
        if (asked) e.preventDefault();
      },
      onPointerMove: (e: React.PointerEvent) => point(view?.uvAt(e.clientX, e.clientY) ?? null),
      onPointerDown: (e: React.PointerEvent) => press.down(e),
      onPointerUp: (e: React.PointerEvent) => {
        const place = hover.get();
        if (press.up(e) && place && clicks) clicked(place);
      },
    };
  }, [view, low, sheets, number, clicks, step]);
}

/** One channel as grey, for the canvas's filter. */
function ChannelFilters() {
  const rows = { r: "1 0 0 0 0", g: "0 1 0 0 0", b: "0 0 1 0 0" };
  return (
    <svg className="absolute size-0" aria-hidden>
      {Object.entries(rows).map(([name, row]) => (
        <filter key={name} id={`channel-${name}`} colorInterpolationFilters="sRGB">
          <feColorMatrix values={`${row} ${row} ${row} 0 0 0 1 0`} />
        </filter>
      ))}
    </svg>
  );
}
