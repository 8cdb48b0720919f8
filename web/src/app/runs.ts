// The runs that the ledger lists: the newest come with the asset, older ones page by page.
import { useCallback, useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import { useAsset } from "../api/queries";
import type { RunView } from "../api/types";

/** The newest as they are now, then older ones as they were last seen, newest first. */
export function joined(newest: readonly RunView[], known: readonly RunView[]): RunView[] {
  const last = newest.at(-1)?.number ?? 0;
  return [...newest, ...known.filter((run) => run.number < last)];
}

const NONE = { asset: 0, count: 0, runs: [] as readonly RunView[] };

/** The runs that are listed, a way to list more (none when all are), and why the last try to failed. */
export function useRuns(): { runs: RunView[]; older: (() => void) | null; failed: Error | null } {
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
  return { runs, older: runs.length >= count ? null : older, failed };
}
