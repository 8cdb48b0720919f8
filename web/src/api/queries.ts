// Hooks that fetch and change what the server holds.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo } from "react";
import { toast } from "sonner";
import { api, RequestFailed } from "./client";
import { finalGoesAway } from "./clusters";
import { assetKey, settled, useDraft, useKeeping } from "./drafts";
import { rests } from "./looks";
import { open, useHolding, useOpen } from "./open";
import type {
  Acceptance,
  AssetView,
  Finding,
  FixOrder,
  PictureLine,
  Recipe,
  RegionRectangle,
  Report,
  RunDetail,
  RunKind,
  RunView,
} from "./types";

const UNSAVED = "The last edits are not saved yet. Wait until the program has them, then try again.";

export function useAssets() {
  return useQuery({ queryKey: ["assets"], queryFn: api.assets });
}

export function useAsset() {
  const id = useOpen((s) => s.asset);
  return useQuery({ queryKey: assetKey(id), queryFn: () => api.asset(id ?? 0), enabled: id !== null });
}

/** Every map there is, with its settings before anyone changes them. */
export function useMaps() {
  return useQuery({ queryKey: ["maps"], queryFn: api.maps, staleTime: Number.POSITIVE_INFINITY });
}

/** What settings may be. */
export function useChoices() {
  return useQuery({ queryKey: ["choices"], queryFn: api.choices, staleTime: Number.POSITIVE_INFINITY });
}

/** Findings on the meshes of the asset as it is kept, and the fixes they offer. */
export function useMeshFindings() {
  const asset = useAsset().data;
  return useQuery({
    queryKey: ["findings", asset?.id, asset?.revision],
    queryFn: () => api.findings(asset?.id ?? 0),
    enabled: Boolean(asset),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}

/** What is kept of finals' hits, and how to set the most that may be. */
export function useKeptHits() {
  const client = useQueryClient();
  const asked = useQuery({ queryKey: ["hits"], queryFn: api.hits });
  const setMost = async (most: number) => {
    try {
      client.setQueryData(["hits"], await api.keepHits(most));
    } catch (fault) {
      toast.error(fault instanceof RequestFailed ? fault.message : String(fault));
    }
  };
  return { asked, setMost };
}

/** What runs, and what waits in the order it is worked on, of all assets. */
export function useQueue() {
  return useQuery({ queryKey: ["queue"], queryFn: api.queue });
}

/** A map's name as it is shown, by what tells it from others: "Occlusion", "Mask edge wear". */
export function useMapLabels(): (key: string) => string {
  const maps = useMaps().data;
  return (key) => {
    const [id, name] = key.split(":");
    const label = maps?.find((m) => m.kind.id === id)?.kind.label;
    return label ? [label, name].filter(Boolean).join(" ") : key;
  };
}

/** Small pictures of every map of the asset as its kept recipe stands. */
export function useSwatches() {
  const asset = useAsset().data;
  return useQuery({
    queryKey: ["swatches", asset?.id, asset?.revision],
    queryFn: () => api.swatches(asset?.id ?? 0),
    enabled: asset?.missing === null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}

/** How far the sculpt lies from the low-poly. */
export function useLowOff(wanted: boolean) {
  const asset = useAsset().data;
  return useQuery({
    queryKey: ["low-off", asset?.id, asset?.recipe.low, asset?.recipe.high],
    queryFn: () => api.lowOff(asset?.id ?? 0),
    enabled: wanted && asset !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
}

/** The layout of the low-poly in figures, for the sheet as it is kept; measured only where it is looked at. */
export function useUvReport(wanted = true) {
  const asset = useAsset().data;
  const sheet = asset?.recipe.sheet;
  return useQuery({
    queryKey: ["uvs", asset?.id, asset?.recipe.low, sheet],
    queryFn: () => api.uvs(asset?.id ?? 0),
    enabled: wanted && Boolean(asset && asset.recipe.low.length > 0),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}

/** A run with its report, and where its pictures lie. */
export interface ShownRun extends RunView {
  report: Report | null;
  /** What the bake found in its own result. */
  found: Finding[];
  pictures: PictureLine[];
}

export const hasMaps = (run: RunView) => run.status === "done" || run.status === "partial";

/** The run that is looked at as the program answers: the chosen one, or the newest that was baked and has maps. */
export function useRunDetail() {
  const asset = useAsset().data;
  const chosen = useOpen((s) => s.run);
  const newest = asset?.runs.find((r) => hasMaps(r) && r.kind !== "imported") ?? asset?.runs.find(hasMaps);
  const id = chosen ?? newest?.id ?? null;
  return useQuery({
    queryKey: ["run", id],
    queryFn: () => api.run(id ?? 0),
    enabled: id !== null,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: (old, before) =>
      before?.queryKey[0] === "run" && sameAsset(asset, old) ? old : undefined,
  });
}

const shownOf = (detail: RunDetail): ShownRun => ({
  ...detail.run,
  report: detail.report,
  found: detail.findings,
  pictures: detail.pictures,
});

/** The run that is looked at. Null until all is known of it. */
export function useShownRun(): ShownRun | null {
  const detail = useRunDetail().data;
  return useMemo(() => (detail ? shownOf(detail) : null), [detail]);
}

/** A run by its id, with all that is known of it. */
export function useRun(id: number | null): ShownRun | null {
  const detail = useQuery({
    queryKey: ["run", id],
    queryFn: () => api.run(id ?? 0),
    enabled: id !== null,
    staleTime: Number.POSITIVE_INFINITY,
  }).data;
  return useMemo(() => (detail ? shownOf(detail) : null), [detail]);
}

/** Whether a run is one of the asset's that are listed. */
const sameAsset = (asset: AssetView | undefined, detail: RunDetail | undefined) =>
  asset?.runs.some((r) => r.id === detail?.run.id) ?? false;

export function say(error: unknown) {
  toast.error(error instanceof Error ? error.message : String(error), { duration: 9000 });
}

/** The recipe as it stands on screen, and a way to change it. */
export function useRecipe() {
  return useDraft(useAsset().data);
}

/** Runs that were asked for so far. */
let asked = 0;

/** Sends what is edited and, while `follows` says so, follows it with a proof. Called once, by the shell. */
export function useSaving(follows: () => boolean) {
  const kept = useCallback(
    (before: AssetView | undefined, now: AssetView) => {
      // A proof that cannot be baked takes no edit with it.
      if (!follows() || now.missing !== null || now.revision === before?.revision) return;
      // Mends are drawn onto the run on screen at once; a proof would only take it away.
      if (before && sameButMends(before.recipe, now.recipe)) return;
      // What the hand waits for goes first; of several changes in that time one proof follows.
      const turn = ++asked;
      rests()
        .then(() => (turn === asked ? bake(now.id, "proof", useHolding.getState().holds) : undefined))
        .catch(say);
    },
    [follows],
  );
  useKeeping(useAsset().data?.id, kept);
}

/** Whether mends are all that two recipes differ in. */
export function sameButMends({ mends: a, ...before }: Recipe, { mends: b, ...after }: Recipe) {
  return JSON.stringify(before) === JSON.stringify(after) && JSON.stringify(a) !== JSON.stringify(b);
}

async function bake(asset: number, kind: RunKind, stays = false) {
  // A proof that still waits for its turn would tell nothing that this run does not.
  asked++;
  await api.bake(asset, kind, kind === "final" && (await finalGoesAway()));
  if (!stays) open({ run: null });
}

export function useActions() {
  const client = useQueryClient();
  const id = useOpen((s) => s.asset);
  const put = useCallback((asset: AssetView) => client.setQueryData(assetKey(asset.id), asset), [client]);
  const doing = useCallback((work: () => Promise<unknown>) => work().catch(say), []);
  const step = (go: (id: number) => Promise<AssetView>) =>
    doing(async () => {
      if (!(await settled())) throw new Error(UNSAVED);
      if (id !== null) put(await go(id));
    });
  return {
    put,
    bake: (kind: RunKind) =>
      doing(async () => {
        if (!(await settled())) throw new Error(UNSAVED);
        if (id !== null) await bake(id, kind);
      }),
    /** Bakes part of the sheets at final quality into a run; `begun` hears that it is in the queue. */
    bakeRegion: (run: number, rectangles: RegionRectangle[], begun: () => void) =>
      doing(async () => {
        if (!(await settled())) throw new Error(UNSAVED);
        if (id === null) return;
        asked++;
        await api.bakeRegion(id, run, rectangles);
        begun();
        open({ run: null });
      }),
    again: (run: number) => doing(() => api.again(run)),
    /** Makes the settings of a run those of the asset again. */
    restore: (run: number) => step(() => api.restoreRun(run)),
    stop: (run: number) => doing(() => api.stop(run)),
    resume: (run: number, here = false) => doing(() => api.resume(run, here)),
    hold: (run: number, on: boolean) => doing(() => api.hold(run, on)),
    orderQueue: (runs: number[]) =>
      doing(async () => client.setQueryData(["queue"], await api.orderQueue(runs))),
    fix: (orders: FixOrder[]) => step((asset) => api.takeFixes(asset, orders)),
    accept: (acceptance: Acceptance) => step((asset) => api.accept(asset, acceptance)),
    undo: () => step(api.undo),
    redo: () => step(api.redo),
  };
}

export { keepNow, settled } from "./drafts";
export { RequestFailed };
