// Hooks that fetch and change what the server holds. The recipe is edited as a draft: the page shows it at once, the server
// hears of it when the hand rests, and each rest is one undo step.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect } from "react";
import { toast } from "sonner";
import { create } from "zustand";
import { useStore } from "../state";
import { api, RequestFailed } from "./client";
import type { AssetView, Event, Recipe, RunKind, RunView } from "./types";

const assetKey = (id: number | null) => ["asset", id];

export function useAssets() {
  return useQuery({ queryKey: ["assets"], queryFn: api.assets });
}

export function useAsset() {
  const id = useStore((s) => s.asset);
  return useQuery({ queryKey: assetKey(id), queryFn: () => api.asset(id ?? 0), enabled: id !== null });
}

/** Every map there is, with its settings before anyone changes them. */
export function useMaps() {
  return useQuery({ queryKey: ["maps"], queryFn: api.maps, staleTime: Number.POSITIVE_INFINITY });
}

/** A map's name as it is shown. */
export function useMapLabels(): (id: string) => string {
  const maps = useMaps().data;
  return (id) => maps?.find((m) => m.kind.id === id)?.kind.label ?? id;
}

/** Small pictures of every map of the asset as its kept recipe stands. */
export function useSwatches() {
  const asset = useAsset().data;
  const ready = asset && asset.recipe.low.length > 0 && asset.recipe.high.length > 0;
  return useQuery({
    queryKey: ["swatches", asset?.id, asset?.revision],
    queryFn: () => api.swatches(asset?.id ?? 0),
    enabled: Boolean(ready),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}

/** The layout of the low-poly in figures, for the sheet as it is kept; measured only where it is looked at. */
export function useUvReport(wanted = true) {
  const asset = useAsset().data;
  const sheet = asset?.recipe.sheet;
  return useQuery({
    queryKey: ["uvs", asset?.id, asset?.recipe.low, sheet?.size, sheet?.padding, sheet?.layout],
    queryFn: () => api.uvs(asset?.id ?? 0),
    enabled: wanted && Boolean(asset && asset.recipe.low.length > 0),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}

/** The run that is looked at: the chosen one, or the newest that is finished. */
export function useShownRun(): RunView | null {
  const asset = useAsset().data;
  const chosen = useStore((s) => s.run);
  const runs = asset?.runs ?? [];
  return runs.find((r) => r.id === chosen) ?? runs.find((r) => r.status === "done") ?? null;
}

export function say(error: unknown) {
  toast.error(error instanceof Error ? error.message : String(error), { duration: 9000 });
}

interface Drafts {
  draft: Recipe | null;
  /** The asset it belongs to. */
  of: number | null;
}
const useDrafts = create<Drafts>()(() => ({ draft: null, of: null }));
let resting: ReturnType<typeof setTimeout> | undefined;
let flush: (() => void) | undefined;
let sending: Promise<void> = Promise.resolve();

/** The recipe as it stands on screen, and a way to change it. */
export function useRecipe(): [Recipe | undefined, (change: (r: Recipe) => Recipe) => void] {
  const asset = useAsset().data;
  const draft = useDrafts((s) => (s.of === asset?.id ? s.draft : null));
  const client = useQueryClient();
  const edit = useCallback(
    (change: (r: Recipe) => Recipe) => {
      if (!asset) return;
      const kept = useDrafts.getState();
      const next = change((kept.of === asset.id && kept.draft) || asset.recipe);
      useDrafts.setState({ draft: next, of: asset.id });
      clearTimeout(resting);
      flush = () => {
        clearTimeout(resting);
        flush = undefined;
        // As it stands now: what is edited while this is on its way is kept next.
        const { draft } = useDrafts.getState();
        if (draft) sending = sending.then(() => keep(client, asset.id, draft));
      };
      resting = setTimeout(flush, 260);
    },
    [asset, client],
  );
  return [draft ?? asset?.recipe, edit];
}

async function keep(client: ReturnType<typeof useQueryClient>, id: number, draft: Recipe) {
  const base = client.getQueryData<AssetView>(assetKey(id));
  if (!base) return;
  try {
    const asset = await api.revise(id, base.revision, draft);
    client.setQueryData(assetKey(id), asset);
    if (useDrafts.getState().draft === draft) useDrafts.setState({ draft: null });
    const from = asset.recipe.high.length > 0 || asset.recipe.normal_map;
    const bakeable = asset.recipe.low.length > 0 && Boolean(from);
    if (useStore.getState().follow && bakeable && asset.revision !== base.revision) await bake(id, "proof");
  } catch (error) {
    useDrafts.setState({ draft: null });
    await client.invalidateQueries({ queryKey: assetKey(id) });
    say(error);
  }
}

/** Keeps what was edited without waiting for the hand to rest: what comes next is an undo step of its own. */
export function keepNow() {
  if (useDrafts.getState().draft) flush?.();
}

/** Waits until what was edited is kept, so that a bake sees it. */
export async function settled() {
  flush?.();
  await sending;
}

async function bake(asset: number, kind: RunKind) {
  await api.bake(asset, kind);
  useStore.getState().set({ run: null });
}

export function useActions() {
  const client = useQueryClient();
  const id = useStore((s) => s.asset);
  const put = useCallback((asset: AssetView) => client.setQueryData(assetKey(asset.id), asset), [client]);
  const doing = useCallback((work: () => Promise<unknown>) => work().catch(say), []);
  return {
    put,
    bake: (kind: RunKind) => doing(() => settled().then(() => (id === null ? undefined : bake(id, kind)))),
    again: (run: number) => doing(() => api.again(run)),
    stop: (run: number) => doing(() => api.stop(run)),
    undo: () => doing(async () => id !== null && put(await settled().then(() => api.undo(id)))),
    redo: () => doing(async () => id !== null && put(await settled().then(() => api.redo(id)))),
  };
}

/** Listens to the server for as long as the page is open. */
export function useEvents() {
  const client = useQueryClient();
  useEffect(() => {
    const source = new EventSource("/api/events");
    let opened = false;
    source.onopen = () => {
      // The program was started again: what ran then does not run now.
      if (opened) {
        useStore.getState().set({ progress: null });
        client.invalidateQueries({ queryKey: ["assets"] });
        client.invalidateQueries({ queryKey: ["asset"] });
      }
      opened = true;
    };
    source.onmessage = (message) => {
      const event = JSON.parse(message.data as string) as Event;
      const { progress, set } = useStore.getState();
      if (event.event === "progress") {
        set({ progress: event });
      } else if (event.event === "ended") {
        if (progress?.run === event.run) set({ progress: null });
      } else if (event.event === "intake") {
        set({ intake: { ...useStore.getState().intake, [event.file]: event.stage } });
      } else {
        client.invalidateQueries({ queryKey: ["assets"] });
        client.invalidateQueries({ queryKey: event.asset === 0 ? ["asset"] : assetKey(event.asset) });
      }
    };
    return () => source.close();
  }, [client]);
}

export { RequestFailed };
