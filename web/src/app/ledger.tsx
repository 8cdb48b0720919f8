// The ledger: every run, newest first, with what made it differ from the run before.
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import { open, useOpen } from "../api/open";
import { useAsset, useShownRun } from "../api/queries";
import type { RunView } from "../api/types";
import { Failed } from "../ui/failed";
import { bytes } from "../ui/parts";
import { DeleteDialog } from "./delete-dialog";
import { LedgerFilter, NoneFound } from "./ledger-filter";
import { RunCard } from "./run-card";
import { useRuns } from "./runs";

/** Width of a card and of the gap beside it, pixels. */
const CARD = 280;
const GAP = 8;

export function Ledger() {
  const asset = useAsset().data;
  const shown = useShownRun();
  const listed = useRuns();
  const [deleting, setDeleting] = useState<RunView | null>(null);
  const count = asset?.run_count ?? 0;
  if (count === 0)
    return (
      <section
        aria-label="Ledger"
        className="flex h-8 items-center gap-3 border-t border-line bg-ground px-3"
      >
        <b>Ledger</b>
        <span className="truncate text-ink-3">
          Every bake is kept here with the settings that made it. Press B for a first proof.
        </span>
      </section>
    );
  return (
    <section
      aria-label="Ledger"
      className="grid h-[96px] grid-cols-[92px_1fr] border-t border-line bg-ground"
    >
      <div className="flex flex-col gap-0.5 p-3">
        <span className="-mt-1 flex items-center justify-between">
          <b>Ledger</b>
          <LedgerFilter />
        </span>
        <span className="text-ink-3">
          {count} {count === 1 ? "run" : "runs"}
        </span>
        {asset && asset.run_bytes > 0 && <span className="text-ink-3">{bytes(asset.run_bytes)}</span>}
      </div>
      {listed.runs.length === 0 && !listed.older && !listed.failed && !listed.reading ? (
        <NoneFound />
      ) : (
        <Runs {...listed} shown={shown?.id ?? null} onDelete={setDeleting} />
      )}
      {deleting && (
        <DeleteDialog
          title={`Delete run ${deleting.number}?`}
          frees={() => api.runFrees(deleting.id)}
          onDelete={async () => {
            const freed = await api.deleteRun(deleting.id);
            // What is looked at falls back to the newest.
            if (useOpen.getState().run === deleting.id) open({ run: null });
            return freed;
          }}
          onClose={() => setDeleting(null)}
        >
          Its maps, report and settings are removed. This cannot be undone.
        </DeleteDialog>
      )}
    </section>
  );
}

/** The row of runs, drawn where it is seen; older ones are fetched as its end comes near. */
function Runs(props: {
  runs: RunView[];
  shown: number | null;
  older: (() => void) | null;
  failed: Error | null;
  onDelete: (run: RunView) => void;
}) {
  const { runs, shown, older, failed, onDelete } = props;
  const row = useRef<HTMLDivElement>(null);
  const cards = useVirtualizer({
    count: runs.length + (older ? 1 : 0),
    getScrollElement: () => row.current,
    estimateSize: () => CARD + GAP,
    horizontal: true,
    overscan: 3,
  });
  const seen = cards.getVirtualItems();
  const atEnd = (seen.at(-1)?.index ?? 0) >= runs.length;
  useEffect(() => {
    if (atEnd) older?.();
  }, [atEnd, older]);
  return (
    <div ref={row} role="group" aria-label="Runs" className="overflow-x-auto overflow-y-hidden py-2">
      <ol className="relative h-full" style={{ width: cards.getTotalSize() }}>
        {seen.map(({ index, start }) => {
          const run = runs[index];
          const style = { position: "absolute", insetBlock: 0, left: start, width: CARD } as const;
          return run ? (
            <RunCard
              key={run.id}
              run={run}
              shown={run.id === shown}
              style={style}
              onDelete={() => onDelete(run)}
            />
          ) : (
            <li key="older" style={style} className="grid place-items-center text-ink-3">
              {failed ? (
                <Failed of={{ isError: true, error: failed, refetch: () => older?.() }} className="text-xs" />
              ) : (
                "Reading older runs"
              )}
            </li>
          );
        })}
      </ol>
    </div>
  );
}
