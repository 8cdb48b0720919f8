// A run in the ledger: its pictures, size, time, and what differs from the run before.
import { Play, RotateCcw, Trash2 } from "lucide-react";
import type { CSSProperties } from "react";
import { pictureUrl } from "../api/client";
import { open } from "../api/open";
import { hasMaps, useActions, useMapLabels } from "../api/queries";
import type { RunView } from "../api/types";
import { seconds } from "../ui/parts";

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
      return { text: run.held ? "on hold" : "queued", quiet: changes };
    case "stopped":
      return { text: "stopped", quiet: changes };
    case "failed":
      return { text: run.error ?? "failed", quiet: changes };
    case "interrupted":
      return { text: run.error ?? "interrupted", quiet: changes };
  }
}

export function RunCard(props: {
  run: RunView;
  shown: boolean;
  /** Where it stands in the row of all. */
  style: CSSProperties;
  onDelete: () => void;
}) {
  const { run, shown, style, onDelete } = props;
  const { again, resume } = useActions();
  const label = useMapLabels();
  const maps = Object.keys(run.small)
    .filter((m) => m !== "miss" && !m.includes("@"))
    .sort((a, b) => (a === "normal" ? -1 : b === "normal" ? 1 : a.localeCompare(b)));
  const { text, quiet } = facts(run);
  const done = hasMaps(run);
  const repeatable = !done && run.status !== "running" && run.status !== "waiting";
  return (
    <li className="group" style={style}>
      <button
        type="button"
        aria-pressed={shown}
        title={`${run.size} x ${run.size}, ${run.samples} ${run.samples === 1 ? "sample" : "samples"} per texel`}
        disabled={!done}
        onClick={() => open({ run: run.id })}
        className={`flex size-full items-center gap-2 rounded border bg-sheet p-1.5 text-left disabled:cursor-default ${shown ? "border-ember shadow-[inset_0_-2px_var(--ember)]" : "border-line hover:border-ink-3"}`}
      >
        {maps.length > 0 && (
          <span className="flex shrink-0 gap-1">
            {maps.slice(0, 2).map((m) => (
              <img
                key={m}
                src={pictureUrl(run.small[m] ?? "")}
                alt={label(m)}
                className={`size-[58px] rounded-[2px] bg-stage object-cover ${done ? "" : "opacity-60"}`}
              />
            ))}
          </span>
        )}
        <span className="min-w-0">
          <span className="block truncate">
            <b>
              {run.number} {run.kind}
            </b>{" "}
            <span className="num ml-1 text-ink-2">{run.size} px</span>
          </span>
          <span
            className={`line-clamp-2 pr-4 leading-tight ${run.status === "failed" ? "text-madder" : ""}`}
            title={text}
          >
            {text}
          </span>
          <span
            className={`block truncate ${run.status === "partial" ? "text-madder" : "text-ink-3"} ${repeatable ? "pr-20" : ""}`}
          >
            {run.seconds !== null && `${seconds(run.seconds)}, `}
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
          onClick={() => (run.landed > 0 ? resume(run.id) : again(run.id))}
          className="absolute right-1.5 bottom-1.5 flex items-center gap-1 rounded border border-line bg-sheet px-1.5 py-0.5 font-[560] hover:bg-sunk"
        >
          {run.landed > 0 ? (
            <>
              <Play className="size-3 fill-current" /> Go on
            </>
          ) : (
            <>
              <RotateCcw className="size-3" /> Run again
            </>
          )}
        </button>
      )}
    </li>
  );
}
