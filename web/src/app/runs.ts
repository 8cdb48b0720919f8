// The runs that the ledger lists: the newest come with the asset, older ones page by page; those that are found by something are asked for.
import { keepPreviousData, useInfiniteQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { create } from "zustand";
import { api, type RunFilter } from "../api/client";
import { say, useAsset } from "../api/queries";
import { client } from "../api/query-client";
import type { RunLabel, RunView } from "../api/types";

/** The newest as they are now, then older ones as they were last seen, newest first. */
export function joined(newest: readonly RunView[], known: readonly RunView[]): RunView[] {
  const last = newest.at(-1)?.number ?? 0;
  return [...newest, ...known.filter((run) => run.number < last)];
}

interface Ledger {
  wanted: RunFilter;
  /** What was said of runs lately: pages of older ones are not asked for again. */
  labels: Readonly<Record<number, Pick<RunView, "name" | "starred">>>;
}

export const useLedger = create<Ledger>()(() => ({ wanted: {}, labels: {} }));

/** Names a run or gives it a star. */
export function label(run: number, change: Partial<RunLabel>) {
  api
    .labelRun(run, change)
    .then(({ name, starred }) => {
      useLedger.setState((s) => ({ labels: { ...s.labels, [run]: { name, starred } } }));
      // What is found by a star may be another now.
      return client.invalidateQueries({ queryKey: ["ledger"] });
    })
    .catch(say);
}

export interface Listed {
  runs: RunView[];
  /** A way to list more; none when all are. */
  older: (() => void) | null;
  /** Why the last try to failed. */
  failed: Error | null;
  /** They are asked for, and nothing is known of them yet. */
  reading: boolean;
}

const NONE = { asset: 0, count: 0, runs: [] as readonly RunView[] };

export function useRuns(): Listed {
  const wanted = useLedger((s) => s.wanted);
  const all = useAllRuns();
  const found = useFoundRuns(wanted);
  return found ?? all;
}

function useAllRuns(): Listed {
  const asset = useAsset().data;
  const [seen, setSeen] = useState(NONE);
  const [failed, setFailed] = useState<Error | null>(null);
  const reading = useRef(false);
  const { id = 0, run_count: count = 0 } = asset ?? {};
  const newest = asset?.runs ?? NONE.runs;
  useEffect(() => {
    // Fewer than before: some were deleted, and which of the older ones is not known.
    setSeen((s) => ({
      asset: id,
      count,
      runs: s.asset === id && count >= s.count ? joined(newest, s.runs) : newest,
    }));
  }, [id, count, newest]);
  const runs = joined(newest, seen.asset === id ? seen.runs : []);
  const oldest = runs.at(-1)?.number ?? 0;
  const older = useCallback(async () => {
    if (id === 0 || reading.current) return;
    reading.current = true;
    setFailed(null);
    try {
      const page = await api.runs(id, oldest);
      setSeen((s) => (s.asset === id ? { ...s, runs: [...s.runs, ...page.runs] } : s));
    } catch (error) {
      setFailed(error instanceof Error ? error : new Error(String(error)));
    } finally {
      reading.current = false;
    }
  }, [id, oldest]);
  return { runs, older: runs.length >= count ? null : older, failed, reading: false };
}

/** Runs that are found by something; null while nothing is asked. */
function useFoundRuns(wanted: RunFilter): Listed | null {
  const asset = useAsset();
  const id = asset.data?.id ?? 0;
  const asks = Object.keys(wanted).length > 0;
  const asked = useInfiniteQuery({
    queryKey: ["ledger", id, wanted, asset.dataUpdatedAt],
    queryFn: ({ pageParam }) => api.runs(id, pageParam, wanted),
    initialPageParam: Number.MAX_SAFE_INTEGER,
    getNextPageParam: (last) => (last.more ? last.runs.at(-1)?.number : undefined),
    enabled: asks && id > 0,
    placeholderData: keepPreviousData,
    gcTime: 30_000,
  });
  const { fetchNextPage } = asked;
  const older = useCallback(() => void fetchNextPage(), [fetchNextPage]);
  if (!asks) return null;
  return {
    runs: asked.data?.pages.flatMap((page) => page.runs) ?? [],
    older: asked.hasNextPage && !asked.isFetching ? older : null,
    failed: asked.error,
    reading: asked.isPending,
  };
}
