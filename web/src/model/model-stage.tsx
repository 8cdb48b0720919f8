// The model stage: the low-poly with its maps, the sculpt, and the two compared.
import { useEffect, useMemo, useRef, useState } from "react";
import * as THREE from "three";
import { mapUrl } from "../api/client";
import { useAsset, useReach, useRecipe, useShownRun, useUvReport } from "../api/queries";
import type { MapSettings, RunView } from "../api/types";
import { type Look, useStore } from "../state";
import { Badge } from "../ui/parts";
import { StageMessage, StageTools, Tag, ToolSegment, ToolSelect, ToolToggle } from "../ui/stage-tools";
import { LayoutLegend } from "./layout-legend";
import { LAYOUT_LOOKS, type LayoutLook, tintsOf } from "./layout-looks";
import { type LightPlace, LightPuck, lightDirection } from "./light-puck";
import { UvFinder } from "./mesh-data";
import { useHidden, waysApart } from "./pairs-view";
import { MOST_SHEETS } from "./shaders";
import { NOWHERE, sheetsOf } from "./sheets";
import { useDisplay } from "./use-display";
import { Viewer } from "./viewer";

const LOOKS: [Look, string][] = [
  ["low", "Low"],
  ["baked", "Baked"],
  ["sculpt", "Sculpt"],
  ["wipe", "Wipe"],
  ["beside", "Beside"],
];

function normalSettings(run: RunView | null): Extract<MapSettings, { map: "normal" }> | undefined {
  return run?.report?.recipe.maps.find((m) => m.map === "normal");
}

export function ModelStage() {
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const marker = useRef<HTMLDivElement>(null);
  const badgeHost = useRef<HTMLDivElement>(null);
  const [viewer, setViewer] = useState<Viewer | null>(null);
  const [failed, setFailed] = useState(false);
  const [wipe, setWipe] = useState(0.5);
  const [light, setLight] = useState<LightPlace>([-0.45, 0.5]);
  const { look, envelope, inner, wires, layout, target, apart, lit, badges, map, wish, set } = useStore();
  const hidden = useHidden();
  const pairs = useAsset().data?.pairs;
  const uvs = useUvReport().data;
  const low = useDisplay("low");
  const high = useDisplay("high");
  const run = useShownRun();
  const [recipe] = useRecipe();
  const measured = useReach().data?.reach.suggested;

  useEffect(() => {
    if (!canvas.current || !host.current) return;
    let made: Viewer;
    try {
      made = new Viewer(canvas.current);
    } catch {
      setFailed(true);
      return;
    }
    setViewer(made);
    const box = host.current;
    const fit = new ResizeObserver(() => made.resize(box.clientWidth, box.clientHeight));
    fit.observe(box);
    return () => {
      fit.disconnect();
      made.dispose();
      setViewer(null);
    };
  }, []);

  useEffect(() => viewer?.setLow(low.data ?? null), [viewer, low.data]);
  useEffect(() => viewer?.setHigh(high.data ?? null), [viewer, high.data]);
  const ways = useMemo(() => (low.data ? waysApart(pairs ?? [], low.data) : null), [low.data, pairs]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new mesh needs its ways again
  useEffect(() => {
    if (ways) viewer?.setWays(ways);
  }, [viewer, ways, high.data]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new mesh is lit anew
  useEffect(() => viewer?.setLit(lit), [viewer, lit, low.data]);
  const aim = target ? target / (uvs?.size ?? 1) : (uvs?.median_density ?? 0);
  useEffect(() => {
    if (viewer && layout && low.data && uvs) viewer.setTints(tintsOf(layout, low.data, uvs, aim));
  }, [viewer, layout, low.data, uvs, aim]);

  const shownMap = run?.report?.maps[map] ? map : run?.report?.maps.normal ? "normal" : null;
  const report = run?.report;
  const sheets = useMemo(() => (low.data ? sheetsOf(low.data, report) : null), [low.data, report]);
  const urls =
    run && shownMap
      ? Array.from({ length: Math.min(MOST_SHEETS, report?.sheets.length ?? 1) }, (_, i) =>
          mapUrl(run.id, shownMap, i),
        ).join(" ")
      : "";
  useEffect(() => {
    if (!viewer || !low.data) return;
    let gone = false;
    const loader = new THREE.TextureLoader();
    const wanted = urls === "" ? [] : urls.split(" ").map((url) => loader.loadAsync(url));
    Promise.all(wanted).then(
      (textures) => {
        if (gone) {
          for (const texture of textures) texture.dispose();
          return;
        }
        for (const texture of textures) {
          texture.colorSpace = THREE.NoColorSpace;
          texture.anisotropy = viewer.anisotropy;
          // A tile of a row of tiles repeats into the unit square.
          texture.wrapS = THREE.RepeatWrapping;
          texture.wrapT = THREE.RepeatWrapping;
        }
        viewer.setMaps(textures, sheets);
      },
      () => !gone && viewer.setMaps([], null),
    );
    return () => {
      gone = true;
    };
  }, [viewer, urls, low.data, sheets]);

  const out = recipe?.reach.out === "auto" ? measured?.out : recipe?.reach.out;
  const inward = recipe?.reach.in === "auto" ? measured?.in : recipe?.reach.in;
  const green = normalSettings(run)?.y === "-" ? -1 : 1;
  useEffect(() => {
    viewer?.show({
      look,
      wipe,
      light: lightDirection(light),
      mapMode: shownMap === null ? "none" : shownMap === "normal" ? "normal" : "colour",
      green,
      envelope:
        envelope && out !== undefined && inward !== undefined ? { out, inward: inner ? inward : null } : null,
      wires,
      hidden,
      layout: layout && (layout === "checker" || layout === "blur" ? layout : "tints"),
      texels: uvs?.size ?? 1024,
      // Detail four texels long where the density is what is aimed at.
      wave: 4 / Math.max(1e-9, aim * (uvs?.size ?? 1024)),
      apart,
    });
  }, [
    viewer,
    look,
    wipe,
    light,
    shownMap,
    green,
    envelope,
    inner,
    out,
    inward,
    wires,
    hidden,
    layout,
    uvs,
    aim,
    apart,
  ]);

  const lastWish = useRef(0);
  useEffect(() => {
    if (!viewer || wish.turn === lastWish.current) return;
    lastWish.current = wish.turn;
    viewer.frame(wish.point);
  }, [viewer, wish]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: numbers that appear are put in their place by a drawing
  useEffect(() => viewer?.draw(), [viewer, badges, hidden]);

  // The marker follows the sheet's pointer, and the model when it turns.
  useEffect(() => {
    if (!viewer) return;
    const place = () => {
      const hover = useStore.getState().hover;
      const at = hover?.point ? viewer.project(hover.point, hover.part ?? "") : null;
      if (!marker.current) return;
      marker.current.style.display = at ? "block" : "none";
      if (at) marker.current.style.transform = `translate(${at[0]}px, ${at[1]}px)`;
      for (const badge of badgeHost.current?.querySelectorAll<HTMLElement>("[data-part]") ?? []) {
        const part = badge.dataset.part ?? "";
        const top = ways?.tops.get(part);
        const place = top ? viewer.project([...top], part) : null;
        badge.style.display = place ? "block" : "none";
        if (place) badge.style.transform = `translate(${place[0]}px, ${place[1]}px) translate(-50%, -50%)`;
      }
    };
    viewer.onDraw = place;
    viewer.draw();
    return useStore.subscribe((s, before) => s.hover !== before.hover && place());
  }, [viewer, ways]);

  const point = (e: React.PointerEvent) => {
    if (!viewer || !low.data || e.buttons !== 0) return;
    const box = e.currentTarget.getBoundingClientRect();
    const hit = viewer.pick(e.clientX - box.left, e.clientY - box.top);
    const part = hit ? new UvFinder(low.data).partOf(hit.index) : null;
    const on = hit && sheets ? (sheets.of[Math.floor(hit.index / 3)] ?? NOWHERE) : 0;
    const [left, bottom] = sheets?.corners[on] ?? [0, 0];
    set({
      hover: hit && {
        from: "model",
        uv: [hit.uv[0] - left, hit.uv[1] - bottom],
        sheet: on,
        point: hit.point,
        part,
        triangle: Math.floor(hit.index / 3),
      },
    });
  };

  const header = high.data?.header;
  const standIn =
    header && header.shown_triangles < header.real_triangles && ["sculpt", "wipe", "beside"].includes(look);
  const loading = low.isFetching || (high.isFetching && look !== "low" && look !== "baked");
  return (
    <section
      ref={host}
      aria-label="Model stage"
      className="relative h-full min-w-0 overflow-hidden bg-stage"
      onPointerLeave={() => set({ hover: null })}
    >
      <canvas
        ref={canvas}
        tabIndex={0}
        aria-label="Model: arrows turn it, plus and minus zoom"
        className="absolute inset-0 size-full touch-none -outline-offset-2"
        onPointerMove={point}
        onKeyDown={(e) => viewer?.key(e.key) && e.preventDefault()}
      />
      <div ref={marker} className="pointer-events-none absolute top-0 left-0 hidden" aria-hidden>
        <i className="absolute size-4 -translate-1/2 rounded-full border-[1.5px] border-white shadow-[0_0_0_1px_#0008]" />
      </div>
      <Badges host={badgeHost} hidden={hidden.low} />
      <StageTools>
        <Tag>MODEL</Tag>
        {layout ? (
          <LayoutTools layout={layout} onChange={(v) => set({ layout: v })} />
        ) : (
          <ToolSegment
            label="What the model stage shows"
            options={LOOKS}
            value={look}
            onChange={(v) => set({ look: v })}
          />
        )}
        <ToolToggle label="Wires" on={wires} onChange={(v) => set({ wires: v })} />
        <ToolToggle label="Envelope" on={envelope} onChange={(v) => set({ envelope: v })} />
      </StageTools>
      {layout === "blur" && (
        <WipeHandle share={wipe} onMove={setWipe} host={host} sides={["as it is", "in texels"]} />
      )}
      {!layout && look === "wipe" && (
        <WipeHandle share={wipe} onMove={setWipe} host={host} sides={["baked", "sculpt"]} />
      )}
      {!layout && look === "beside" && (
        <div className="pointer-events-none absolute inset-y-0 left-1/2 w-px bg-stage-line" />
      )}
      <div className="absolute right-3 bottom-3">
        <LightPuck place={light} onMove={setLight} />
      </div>
      <Legend envelope={envelope} out={out} inward={inward} standIn={standIn ? header : undefined} />
      {failed && (
        <StageMessage title="This browser cannot draw 3D">
          Maps and bakes work without it. Turn on WebGL to see the model.
        </StageMessage>
      )}
      {!failed && loading && !low.data && <StageMessage title="Reading the meshes" busy />}
      {low.isError && <StageMessage title="The low-poly cannot be shown">{low.error.message}</StageMessage>}
      {!low.data && !low.isFetching && !low.isError && !high.data && (
        <StageMessage title="No model yet">
          Bring in a low-poly and a sculpt at the Meshes stop, or drop files here.
        </StageMessage>
      )}
    </section>
  );
}

function LayoutTools(props: { layout: LayoutLook; onChange: (look: LayoutLook | null) => void }) {
  return (
    <>
      <ToolSelect
        label="Look at the layout"
        options={LAYOUT_LOOKS}
        value={props.layout}
        onChange={props.onChange}
      />
      <ToolToggle label="Back to maps" on={false} onChange={() => props.onChange(null)} />
    </>
  );
}

/** Each pair's number over its part; the viewer's drawing moves them. */
function Badges(props: { host: React.RefObject<HTMLDivElement | null>; hidden: ReadonlySet<string> }) {
  const badges = useStore((s) => s.badges);
  const pairs = useAsset().data?.pairs ?? [];
  if (!badges || pairs.length < 2) return null;
  return (
    <div ref={props.host} className="pointer-events-none absolute inset-0 overflow-hidden" aria-hidden>
      {pairs
        .filter((p) => !props.hidden.has(p.low))
        .map((p) => (
          <span key={p.low} data-part={p.low} className="absolute top-0 left-0 hidden">
            <Badge number={p.number} />
          </span>
        ))}
    </div>
  );
}

function Legend(props: {
  envelope: boolean;
  out: number | undefined;
  inward: number | undefined;
  standIn: { shown_triangles: number; real_triangles: number } | undefined;
}) {
  const { envelope, out, inward, standIn } = props;
  const thousands = (n: number) => (n >= 1e6 ? `${(n / 1e6).toFixed(2)}M` : `${Math.round(n / 1e3)}k`);
  return (
    <div className="pointer-events-none absolute bottom-3 left-3 flex flex-col items-start gap-1 text-xs text-on-stage">
      <LayoutLegend />
      {envelope && out !== undefined && inward !== undefined && (
        <span className="flex items-center gap-3 rounded bg-(--stage-tool) px-2 py-0.5">
          <span className="flex items-center gap-1.5">
            <i className="size-2.5 bg-ember" />
            rays start <b className="num">{out.toPrecision(3)}</b> out
          </span>
          <span className="flex items-center gap-1.5">
            <i className="size-2.5 border border-dashed border-white bg-black/50" />
            end <b className="num">{inward.toPrecision(3)}</b> in
          </span>
        </span>
      )}
      {standIn && (
        <span className="rounded bg-(--stage-tool) px-2 py-0.5">
          Sculpt shown through a stand-in: {thousands(standIn.shown_triangles)} of{" "}
          {thousands(standIn.real_triangles)} triangles. Bakes use all.
        </span>
      )}
    </div>
  );
}

function WipeHandle(props: {
  share: number;
  onMove: (share: number) => void;
  host: React.RefObject<HTMLDivElement | null>;
  sides: readonly [string, string];
}) {
  const { share, onMove, host, sides } = props;
  const drag = (e: React.PointerEvent) => {
    if (!(e.buttons & 1) || !host.current) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const box = host.current.getBoundingClientRect();
    onMove(Math.min(1, Math.max(0, (e.clientX - box.left) / box.width)));
  };
  const key = (e: React.KeyboardEvent) => {
    const by = e.key === "ArrowLeft" ? -0.02 : e.key === "ArrowRight" ? 0.02 : 0;
    if (by !== 0) onMove(Math.min(1, Math.max(0, share + by)));
  };
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`Wipe between ${sides[0]} and ${sides[1]}`}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(share * 100)}
      onPointerDown={drag}
      onPointerMove={drag}
      onKeyDown={key}
      className="absolute top-10 bottom-0 z-10 -ml-3 w-6 cursor-ew-resize touch-none"
      style={{ left: `${share * 100}%` }}
    >
      <i className="absolute inset-y-0 left-1/2 w-px bg-white/80" />
      <span className="absolute bottom-16 left-1/2 flex -translate-x-1/2 gap-4 text-xs whitespace-nowrap text-on-stage [text-shadow:0_0_3px_#000]">
        <b>{sides[0]}</b>
        <b>{sides[1]}</b>
      </span>
    </div>
  );
}
