// The model stage: the low-poly with its maps, the sculpt, and the two compared.
import { useEffect, useMemo, useRef, useState } from "react";
import * as THREE from "three";
import { mapUrl } from "../api/client";
import { type ShownRun, useAsset, useShownRun, useUvReport } from "../api/queries";
import type { MapSettings } from "../api/types";
import { useEnvelope, useLive } from "../reach/live";
import { traceAt, useTrace } from "../reach/trace";
import { useBrush } from "../reach/use-brush";
import { type Look, useStore } from "../state";
import { Badge } from "../ui/parts";
import {
  StageMessage,
  StageTools,
  Tag,
  ToolSegment,
  ToolSelect,
  ToolToggle,
  ToolToggles,
} from "../ui/stage-tools";
import { LAYOUT_LOOKS, type LayoutLook, tintsOf } from "./layout-looks";
import { Legend } from "./legend";
import { type LightPlace, LightPuck, lightDirection } from "./light-puck";
import { UvFinder } from "./mesh-data";
import { useHidden, waysApart } from "./pairs-view";
import { MOST_SHEETS } from "./shaders";
import { NOWHERE, sheetsOf } from "./sheets";
import { useDisplay } from "./use-display";
import { Viewer } from "./viewer";
import { WipeHandle } from "./wipe-handle";

const LOOKS: [Look, string][] = [
  ["low", "Low"],
  ["baked", "Baked"],
  ["sculpt", "Sculpt"],
  ["wipe", "Wipe"],
  ["beside", "Beside"],
];

/** Width of the scratches that blur is shown on, in texels where the density is what is aimed at. */
const SCRATCH = 2;
/** Needles that are drawn when they are first asked for. */
const FIRST_NEEDLES = 1500;

function normalSettings(run: ShownRun | null): Extract<MapSettings, { map: "normal" }> | undefined {
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
  const ring = useRef<HTMLDivElement>(null);
  const { look, envelope, inner, needles, limits, stop, brush, wires } = useStore();
  const { asset, layout, target, apart, lit, badges, map, wish, set } = useStore();
  const hidden = useHidden();
  const pairs = useAsset().data?.pairs;
  const uvs = useUvReport(layout !== null).data;
  const low = useDisplay("low");
  const high = useDisplay("high");
  const run = useShownRun();
  const reach = useEnvelope();
  const live = useLive((s) => s.look);
  const plumb = useLive((s) => s.plumb);
  const tracedRay = useStore((s) => s.tracedRay);
  const traced = useTrace().data?.trace.rays[tracedRay] ?? null;
  const hand = useBrush(viewer, ring);

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
  // biome-ignore lint/correctness/useExhaustiveDependencies: a mesh that came in may be out of view
  useEffect(() => {
    if (asset !== null) viewer?.keepInView(asset);
  }, [viewer, asset, low.data, high.data]);
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
  // The sheet that is looked at follows the hand; others stay as they were baked.
  const urls =
    run && shownMap
      ? Array.from({ length: Math.min(MOST_SHEETS, report?.sheets.length ?? 1) }, (_, i) =>
          live?.map === shownMap && live.sheet === i ? live.url : mapUrl(run, shownMap, i),
        )
          .filter((url) => url !== null)
          .join(" ")
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

  const atReach = stop === "reach";
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new mesh takes the envelope anew
  useEffect(
    () => viewer?.setEnvelope(reach, { needles: atReach && needles > 0, marks: envelope, limits }),
    [viewer, reach, atReach, needles, envelope, limits, low.data],
  );
  useEffect(() => viewer?.setRay(traced), [viewer, traced]);
  const painted = atReach && (brush === "plumb" || brush === "averaged") && (reach?.header.plumb ?? false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new mesh takes the mask anew
  useEffect(() => {
    if (!viewer || !plumb || !painted) return;
    let gone = false;
    new THREE.TextureLoader().loadAsync(plumb).then(
      (texture) => (gone ? texture.dispose() : viewer.setPlumb(texture)),
      () => viewer.setPlumb(null),
    );
    return () => {
      gone = true;
    };
  }, [viewer, plumb, painted, low.data]);
  const green = normalSettings(run)?.y === "-" ? -1 : 1;
  useEffect(() => {
    viewer?.show({
      look,
      wipe,
      light: lightDirection(light),
      mapMode: shownMap === null ? "none" : shownMap === "normal" ? "normal" : "colour",
      green,
      outer: envelope && reach !== null,
      inner: envelope && inner && reach !== null,
      painted,
      wires,
      hidden,
      layout: layout && (layout === "checker" || layout === "blur" ? layout : "tints"),
      texels: uvs?.size ?? 1024,
      detail: SCRATCH / Math.max(1e-9, aim * (uvs?.size ?? 1024)),
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
    reach,
    painted,
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
      // Numbers that would cover another, or lie under the tools, wait until there is room.
      const placed: (readonly [number, number])[] = [];
      for (const badge of badgeHost.current?.querySelectorAll<HTMLElement>("[data-part]") ?? []) {
        const part = badge.dataset.part ?? "";
        const top = ways?.tops.get(part);
        const spot = top ? viewer.project([...top], part) : null;
        const covers = ([x, y]: readonly [number, number]) =>
          spot !== null && Math.abs(x - spot[0]) < 24 && Math.abs(y - spot[1]) < 19;
        const place = spot && spot[1] > 42 && !placed.some(covers) ? spot : null;
        badge.style.display = place ? "block" : "none";
        if (place) placed.push(place);
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

  // A click, not a drag, tells the story of what is under it.
  const pressed = useRef<[number, number] | null>(null);
  const down = (e: React.PointerEvent) => {
    if (e.target !== canvas.current) return;
    pressed.current = [e.clientX, e.clientY];
    hand.down(e);
  };
  const up = (e: React.PointerEvent) => {
    hand.up(e);
    const from = pressed.current;
    pressed.current = null;
    if (!from || brush || e.button !== 0 || Math.hypot(e.clientX - from[0], e.clientY - from[1]) > 3) return;
    const { hover } = useStore.getState();
    if (hover && run) traceAt(run, hover.sheet, hover.uv);
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
      onPointerLeave={() => {
        hand.leave();
        set({ hover: null });
      }}
      onPointerDownCapture={down}
      onPointerMove={hand.move}
      onPointerUp={up}
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
      <div
        ref={ring}
        aria-hidden
        className="pointer-events-none absolute top-0 left-0 hidden rounded-full border-[1.5px] border-white shadow-[0_0_0_1px_#0009,inset_0_0_0_1px_#0009]"
      />
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
        <ToolToggles
          toggles={[
            { label: "Wires", on: wires, onChange: (v) => set({ wires: v }) },
            { label: "Envelope", on: envelope, onChange: (v) => set({ envelope: v }) },
            ...(atReach
              ? [
                  {
                    label: "Needles",
                    on: needles > 0,
                    onChange: (v: boolean) => set({ needles: v ? FIRST_NEEDLES : 0 }),
                  },
                ]
              : []),
          ]}
        />
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
      <Legend standIn={standIn ? header : undefined} />
      {failed && (
        <StageMessage title="This browser cannot draw 3D">
          Maps and bakes work without it. Turn on WebGL to see the model.
        </StageMessage>
      )}
      {!failed && loading && !low.data && <StageMessage title="Reading the meshes" busy />}
      {low.isError && <StageMessage title="The low-poly cannot be shown">{low.error.message}</StageMessage>}
      {!low.data && !low.isFetching && !low.isError && !high.data && (
        <StageMessage title="No model yet">
          Import a low-poly and a sculpt at the Meshes stop, or drop files here.
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
