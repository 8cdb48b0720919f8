// The ledger: every run, newest first, with what made it differ from the run before.
import { RotateCcw } from "lucide-react";
import { smallUrl } from "../api/client";
import { useActions, useAsset, useShownRun } from "../api/queries";
import type { RunView } from "../api/types";
import { useStore } from "../state";
import { bytes, seconds } from "../ui/parts";

export function Ledger() {
  const asset = useAsset().data;
  const shown = useShownRun();
  const runs = asset?.runs ?? [];
  const total = runs.reduce((n, r) => n + r.bytes, 0);
  return (
    <section
      aria-label="Ledger"
      className="grid h-[96px] grid-cols-[92px_1fr] border-t border-line bg-ground"
    >
      <div className="flex flex-col gap-0.5 p-3">
        <b>Ledger</b>
        <span className="text-ink-3">
          {runs.length} {runs.length === 1 ? "run" : "runs"}
        </span>
        {total > 0 && <span className="text-ink-3">{bytes(total)}</span>}
      </div>
      <ol className="flex gap-2 overflow-x-auto overflow-y-hidden py-2 pr-2">
        {runs.map((run) => (
          <Card key={run.id} run={run} shown={run.id === shown?.id} />
        ))}
        {runs.length === 0 && (
          <li className="self-center text-ink-3">
            Every bake is kept here with the settings that made it. Press B for a first proof.
          </li>
        )}
      </ol>
    </section>
  );
}

function facts(run: RunView): { text: string; quiet: string } {
  const changes = run.changes.length > 0 ? run.changes.join(", ") : "same settings as before";
  switch (run.status) {
    case "done": {
      const open = run.report?.findings.filter((f) => f.severity !== "note").length ?? 0;
      return {
        text: changes,
        quiet: open === 0 ? "no findings" : `${open} ${open === 1 ? "finding" : "findings"}`,
      };
    }
    case "running":
      return { text: "baking now", quiet: changes };
    case "waiting":
      return { text: "waiting its turn", quiet: changes };
    case "stopped":
      return { text: "stopped by hand", quiet: changes };
    case "failed":
      return { text: run.error ?? "failed", quiet: changes };
    case "interrupted":
      return { text: "cut off when the program ended", quiet: changes };
  }
}

function Card({ run, shown }: { run: RunView; shown: boolean }) {
  const set = useStore((s) => s.set);
  const { again } = useActions();
  const maps = Object.keys(run.report?.maps ?? {})
    .filter((m) => m !== "miss")
    .sort((a, b) => (a === "normal" ? -1 : b === "normal" ? 1 : a.localeCompare(b)));
  const { text, quiet } = facts(run);
  const done = run.status === "done";
  const repeatable = !done && run.status !== "running" && run.status !== "waiting";
  return (
    <li className="relative shrink-0">
      <button
        type="button"
        aria-pressed={shown}
        disabled={!done}
        onClick={() => set({ run: run.id })}
        className={`flex h-full w-[280px] items-center gap-2 rounded border bg-sheet p-1.5 text-left disabled:cursor-default ${shown ? "border-ember shadow-[inset_0_-2px_var(--ember)]" : "border-line hover:border-ink-3"}`}
      >
        {done && (
          <span className="flex shrink-0 gap-1">
            {maps.slice(0, 2).map((m) => (
              <img
                key={m}
                src={smallUrl(run.id, m)}
                alt={m}
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
              {run.report ? `, ${seconds(run.report.seconds)}` : ""}
            </span>
          </span>
          <span
            className={`line-clamp-2 leading-tight ${run.status === "failed" ? "text-madder" : ""}`}
            title={text}
          >
            {text}
          </span>
          <span className="block truncate text-ink-3">{quiet}</span>
        </span>
      </button>
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
