// The ledger: every run, newest first, with what made it differ from the run before.
import { RotateCcw, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import { api, pictureUrl } from "../api/client";
import { open, useOpen } from "../api/open";
import { hasMaps, say, useActions, useAsset, useMapLabels, useShownRun } from "../api/queries";
import type { RunView } from "../api/types";
import { bytes, seconds } from "../ui/parts";
import { DeleteDialog } from "./delete-dialog";

export function Ledger() {
  const asset = useAsset().data;
  const shown = useShownRun();
  const { runs, older } = useRuns();
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
        <b>Ledger</b>
        <span className="text-ink-3">
          {count} {count === 1 ? "run" : "runs"}
        </span>
        {asset && asset.run_bytes > 0 && <span className="text-ink-3">{bytes(asset.run_bytes)}</span>}
      </div>
      <ol className="flex gap-2 overflow-x-auto overflow-y-hidden py-2 pr-2">
        {runs.map((run) => (
          <Card key={run.id} run={run} shown={run.id === shown?.id} onDelete={() => setDeleting(run)} />
        ))}
        {older && (
          <li className="shrink-0 self-center px-2">
            <button
              type="button"
              onClick={older}
              className="rounded border border-line px-2 py-1 hover:bg-sunk"
            >
              Show older runs
            </button>
          </li>
        )}
      </ol>
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

/** The runs that are listed, newest first, and a way to list more; none when all are. */
function useRuns(): { runs: RunView[]; older: (() => void) | null } {
  const asset = useAsset().data;
  const [more, setMore] = useState<RunView[]>([]);
  const id = asset?.id;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another asset has other runs
  useEffect(() => setMore([]), [id]);
  const first = asset?.runs ?? [];
  const last = first.at(-1)?.number ?? 0;
  const runs = [...first, ...more.filter((r) => r.number < last)];
  const oldest = runs.at(-1)?.number ?? 0;
  const all = runs.length >= (asset?.run_count ?? 0);
  const older = () => {
    if (id === undefined) return;
    api.runs(id, oldest).then((page) => setMore((known) => [...known, ...page.runs]), say);
  };
  return { runs, older: all ? null : older };
}

function facts(run: RunView): { text: string; quiet: string } {
  const changes = run.changes.length > 0 ? run.changes.join(", ") : "same settings as before";
  switch (run.status) {
    case "done":
    case "partial": {
      const found =
        run.findings === 0 ? "no findings" : `${run.findings} ${run.findings === 1 ? "finding" : "findings"}`;
      const failed =
        run.failed_maps > 0 ? `${run.failed_maps} ${run.failed_maps === 1 ? "map" : "maps"} failed, ` : "";
      return { text: changes, quiet: failed + found };
    }
    case "running":
      return { text: "running", quiet: changes };
    case "waiting":
      return { text: "queued", quiet: changes };
    case "stopped":
      return { text: "stopped", quiet: changes };
    case "failed":
      return { text: run.error ?? "failed", quiet: changes };
    case "interrupted":
      return { text: "interrupted: the program was closed", quiet: changes };
  }
}

function Card({ run, shown, onDelete }: { run: RunView; shown: boolean; onDelete: () => void }) {
  const { again } = useActions();
  const label = useMapLabels();
  const maps = Object.keys(run.small)
    .filter((m) => m !== "miss" && !m.includes("@"))
    .sort((a, b) => (a === "normal" ? -1 : b === "normal" ? 1 : a.localeCompare(b)));
  const { text, quiet } = facts(run);
  const done = hasMaps(run);
  const repeatable = !done && run.status !== "running" && run.status !== "waiting";
  return (
    <li className="group relative shrink-0">
      <button
        type="button"
        aria-pressed={shown}
        disabled={!done}
        onClick={() => open({ run: run.id })}
        className={`flex h-full w-[280px] items-center gap-2 rounded border bg-sheet p-1.5 text-left disabled:cursor-default ${shown ? "border-ember shadow-[inset_0_-2px_var(--ember)]" : "border-line hover:border-ink-3"}`}
      >
        {done && (
          <span className="flex shrink-0 gap-1">
            {maps.slice(0, 2).map((m) => (
              <img
                key={m}
                src={pictureUrl(run.small[m] ?? "")}
                alt={label(m)}
                className="size-[58px] rounded-[2px] bg-stage object-cover"
              />
            ))}
          </span>
        )}
        <span className="min-w-0">
          <span className="block truncate">
            <b>
              {run.number} {run.kind}
            </b>{" "}
            <span className="num text-ink-2">
              {run.size}x{run.samples}
              {run.seconds !== null ? `, ${seconds(run.seconds)}` : ""}
            </span>
          </span>
          <span
            className={`line-clamp-2 pr-4 leading-tight ${run.status === "failed" ? "text-madder" : ""}`}
            title={text}
          >
            {text}
          </span>
          <span className={`block truncate ${run.status === "partial" ? "text-madder" : "text-ink-3"}`}>
            {quiet}
          </span>
        </span>
      </button>
      {run.status !== "running" && (
        <button
          type="button"
          aria-label={`Delete run ${run.number}`}
          onClick={onDelete}
          className="absolute top-1 right-1 grid size-6 place-items-center rounded text-ink-3 opacity-0 group-hover:opacity-100 hover:bg-sunk hover:text-ink focus-visible:opacity-100"
        >
          <Trash2 className="size-3.5" />
        </button>
      )}
      {repeatable && (
        <button
          type="button"
          onClick={() => again(run.id)}
          className="absolute right-1.5 bottom-1.5 flex items-center gap-1 rounded border border-line bg-sheet px-1.5 py-0.5 font-[560] hover:bg-sunk"
        >
          <RotateCcw className="size-3" /> Run again
        </button>
      )}
    </li>
  );
}
