// The sheet stage: one map's texels, sharp at any zoom, with the UV wires over them and the texel under the pointer told.
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useRef, useState } from "react";
import { api, liveUrl, mapUrl } from "../api/client";
import { useAsset, useMapLabels, useMaps, useShownRun, useUvReport } from "../api/queries";
import type { RunView } from "../api/types";
import { drawChecker } from "../model/checker";
import { seamLines, tintsOf } from "../model/layout-looks";
import { UvFinder } from "../model/mesh-data";
import { sheetsOf, uvsOn } from "../model/sheets";
import { useDisplay } from "../model/use-display";
import { useLive } from "../reach/live";
import { traceAt } from "../reach/trace";
import { TraceCard } from "../reach/trace-card";
import { type Channel, useStore } from "../state";
import { StageMessage, StageTools, Tag, ToolSegment, ToolSelect, ToolToggle } from "../ui/stage-tools";
import { badgePlaces, linesOn, paintLayout, trianglesOn } from "./layout-paint";
import { SheetView } from "./sheet-view";
import { useLoadedImage } from "./use-image";

const CHANNELS: [Channel, string][] = [
  ["all", "RGB"],
  ["r", "R"],
  ["g", "G"],
  ["b", "B"],
];

export function SheetStage() {
  const canvas = useRef<HTMLCanvasElement>(null);
  const view = useRef<SheetView | null>(null);
  const [zoom, setZoom] = useState(1);
  const { map, sheet, channel, uvWires, progress, layout, target, lit, badges, set } = useStore();
  const uvs = useUvReport(layout !== null).data;
  const kinds = useMaps().data ?? [];
  const label = useMapLabels();
  const asset = useAsset().data;
  const run = useShownRun();
  const low = useDisplay("low");
  const report = run?.report;
  const onSheets = useMemo(() => (low.data ? sheetsOf(low.data, report) : null), [low.data, report]);
  const finder = useMemo(() => (low.data ? new UvFinder(low.data, onSheets) : null), [low.data, onSheets]);

  // A bake that runs is watched as it lands; afterwards its finished map takes the place of the live one.
  const live =
    progress && asset && progress.asset === asset.id && progress.stage === "baking" ? progress : null;
  const available = live
    ? (asset?.recipe.maps.map((m) => m.map) ?? [])
    : Object.keys(run?.report?.maps ?? {}).filter((m) => !run?.report?.maps[m]?.error);
  const order = kinds.map((k) => k.kind.id).filter((m) => available.includes(m as never));
  const sheets = run?.report?.sheets ?? [];
  const number = Math.min(sheet, Math.max(0, sheets.length - 1));
  const shown = order.includes(map) ? map : order[0];
  const look = useLive((s) => s.look);
  const followed = look && look.map === shown && look.sheet === number ? look : null;
  const url = !shown
    ? null
    : followed
      ? followed.url
      : live
        ? liveUrl(live.run, shown, number, Math.round(live.elapsed * 8))
        : run
          ? mapUrl(run, shown, number)
          : null;
  const image = useLoadedImage(url);
  const proof = Math.min(asset?.recipe.sheet.size ?? 0, asset?.recipe.sheet.proof_size ?? 0);
  const size = (followed ? proof : live ? asset?.runs.find((r) => r.id === live.run)?.size : run?.size) ?? 0;

  useEffect(() => {
    if (!canvas.current) return;
    const made = new SheetView(canvas.current, (zoom) => setZoom(zoom));
    view.current = made;
    return () => made.dispose();
  }, []);
  useEffect(() => view.current?.setImage(image, size), [image, size]);
  useEffect(
    () => view.current?.setUvs(low.data ? uvsOn(low.data, onSheets, number) : null),
    [low.data, onSheets, number],
  );
  useEffect(() => view.current?.show(layout ? "all" : channel, uvWires), [channel, uvWires, layout]);
  const painted = useMemo(() => {
    if (!layout || layout === "blur" || !low.data || !uvs) return null;
    if (layout === "checker") return drawChecker();
    const tints = tintsOf(layout, low.data, uvs, target ? target / uvs.size : uvs.median_density);
    return tints && paintLayout(low.data, onSheets, number, tints);
  }, [layout, low.data, uvs, target, onSheets, number]);
  useEffect(() => view.current?.setPainting(painted), [painted]);
  const seams = useMemo(
    () => (layout && low.data ? linesOn(low.data, onSheets, number, seamLines(low.data)) : null),
    [layout, low.data, onSheets, number],
  );
  useEffect(() => view.current?.setSeams(seams), [seams]);
  useEffect(
    () => view.current?.setLit(lit && low.data ? trianglesOn(low.data, onSheets, number, lit) : null),
    [lit, low.data, onSheets, number],
  );
  const marks = useMemo(
    () => (badges && low.data && asset ? badgePlaces(low.data, asset.pairs, onSheets, number) : []),
    [badges, low.data, asset, onSheets, number],
  );
  useEffect(() => view.current?.setBadges(marks), [marks]);
  useEffect(
    () =>
      useStore.subscribe(
        (s, before) =>
          s.hover !== before.hover &&
          view.current?.setCross(s.hover && s.hover.sheet === number ? s.hover.uv : null),
      ),
    [number],
  );

  const point = (e: React.PointerEvent) => {
    const uv = view.current?.uvAt(e.clientX, e.clientY);
    const place = uv ? finder?.find(...uv, number) : null;
    set({
      hover: uv
        ? {
            from: "sheet",
            uv,
            sheet: number,
            point: place?.point ?? null,
            part: place?.part ?? null,
            triangle: place?.triangle ?? null,
          }
        : null,
    });
  };

  const pressed = useRef<[number, number] | null>(null);
  const up = (e: React.PointerEvent) => {
    const from = pressed.current;
    pressed.current = null;
    if (!from || !run || layout || Math.hypot(e.clientX - from[0], e.clientY - from[1]) > 3) return;
    const uv = view.current?.uvAt(e.clientX, e.clientY);
    if (uv) traceAt(run, number, uv);
  };

  return (
    <section
      aria-label="Sheet stage"
      className="relative h-full min-w-0 overflow-hidden bg-stage"
      onPointerLeave={() => set({ hover: null })}
    >
      <ChannelFilters />
      <canvas
        ref={canvas}
        tabIndex={0}
        aria-label="Sheet: arrows move it, plus and minus zoom, 0 fits"
        className="absolute inset-0 size-full touch-none -outline-offset-2"
        onPointerMove={point}
        onPointerDown={(e) => {
          pressed.current = e.button === 0 ? [e.clientX, e.clientY] : null;
        }}
        onPointerUp={up}
      />
      <TraceCard />
      <StageTools>
        <Tag>{layout ? "LAYOUT" : "SHEET"}</Tag>
        {shown && !layout && (
          <ToolSelect
            label="Map"
            options={order.map((m) => [m, label(m)] as const)}
            value={shown}
            onChange={(v) => set({ map: v })}
          />
        )}
        {sheets.length > 1 && (
          <ToolSelect
            label="Which sheet"
            options={sheets.map((name, i) => [String(i), name] as const)}
            value={String(number)}
            onChange={(v) => set({ sheet: Number(v) })}
          />
        )}
        {!layout && (
          <ToolSegment
            label="Channels"
            options={CHANNELS}
            value={channel}
            onChange={(v) => set({ channel: v })}
          />
        )}
        <ToolToggle label="UVs" on={uvWires} onChange={(v) => set({ uvWires: v })} />
      </StageTools>
      <span className="absolute right-3 bottom-3 flex items-center gap-2 text-on-stage">
        <span className="num">
          {size > 0 ? `${size} px, ` : ""}
          {size === 0
            ? ""
            : zoom >= 1
              ? `${zoom.toFixed(zoom < 10 ? 1 : 0)}x`
              : `${Math.round(zoom * 100)} %`}
        </span>
        <button
          type="button"
          className="rounded bg-(--stage-tool) px-2 py-0.5 hover:bg-black/50"
          onClick={() => view.current?.fit()}
        >
          Fit
        </button>
      </span>
      {layout && <IslandProbe />}
      {run && !live && !layout && <Probe run={run} sheet={number} map={shown} />}
      {followed && (
        <span
          role="status"
          aria-label="Follows the hand"
          data-took={Math.round(followed.took)}
          className="num absolute top-10 left-2.5 rounded bg-ember-strong px-2 py-0.5 text-white"
        >
          Follows your hand: {Math.round(followed.took)} ms
        </span>
      )}
      {live && (
        <span className="absolute bottom-3 left-3 rounded bg-ember-strong px-2 py-0.5 text-white">
          Landing: {Math.round(live.share * 100)} %
        </span>
      )}
      {!run && !live && !layout && !lit && (
        <StageMessage title="No map yet">
          {asset && asset.runs.length === 0
            ? "Bake a proof to see the first one here."
            : "It shows here once a bake is done."}
        </StageMessage>
      )}
    </section>
  );
}

/** What the maps hold under the pointer, in the file's own values. */
function Probe({ run, sheet, map }: { run: RunView; sheet: number; map: string | undefined }) {
  const label = useMapLabels();
  const hover = useStore((s) => s.hover);
  const inside = hover?.sheet === sheet && hover.uv.every((c) => c >= 0 && c < 1) ? hover : null;
  const x = inside ? Math.floor(inside.uv[0] * run.size) : 0;
  const y = inside ? Math.floor((1 - inside.uv[1]) * run.size) : 0;
  const texel = useQuery({
    queryKey: ["texel", run.id, sheet, x, y],
    queryFn: () => api.texel(run.id, sheet, x, Math.min(y, run.size - 1)),
    enabled: Boolean(inside),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 5000,
    retry: false,
    placeholderData: (old) => old,
  });
  if (!inside) return null;
  return (
    <div
      role="status"
      className="num pointer-events-none absolute bottom-3 left-3 flex max-w-[calc(100%-150px)] flex-wrap gap-x-4 rounded bg-black/70 px-2 py-1 text-[#f4f4f4]"
      aria-label="Texel under the pointer"
    >
      <b>
        {x}, {y}
      </b>
      <span>{inside.part ?? "outside every island"}</span>
      {texel.data?.maps.map((m) => (
        <span key={m.map} className={m.map === map ? "font-semibold text-white" : ""}>
          {label(m.map)} {m.words}
        </span>
      ))}
    </div>
  );
}

/** The island under the pointer. */
function IslandProbe() {
  const hover = useStore((s) => s.hover);
  const report = useUvReport().data;
  const low = useDisplay("low");
  const islands = low.data?.uints("island");
  const number = hover?.triangle === null || hover?.triangle === undefined ? null : islands?.[hover.triangle];
  const island = number === null || number === undefined ? null : report?.islands[number];
  if (!hover || !report) return null;
  return (
    <div
      role="status"
      aria-label="Island under the pointer"
      className="num pointer-events-none absolute bottom-3 left-3 flex max-w-[calc(100%-150px)] flex-wrap gap-x-4 rounded bg-black/70 px-2 py-1 text-[#f4f4f4]"
    >
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
    </div>
  );
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
