// A run in the ledger: its pictures, size, time, and what differs from the run before.
import { Ellipsis, Play, RotateCcw, Star } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { type CSSProperties, useEffect, useRef, useState } from "react";
import { pictureUrl } from "../api/client";
import { open } from "../api/open";
import { hasMaps, useActions, useMapLabels } from "../api/queries";
import type { RunView } from "../api/types";
import { useView } from "../stages/view";
import { setAgainst } from "../stops/review/state";
import { IconButton, seconds } from "../ui/parts";
import { label, useLedger } from "./runs";

function facts(run: RunView): { text: string; quiet: string } {
  const changes = run.changes.length > 0 ? run.changes.join(", ") : "same settings as before";
  switch (run.status) {
    case "done":
    case "partial": {
      const found =
        run.findings === 0 ? "no findings" : `${run.findings} ${run.findings === 1 ? "finding" : "findings"}`;
      const failed =
        run.failed_maps > 0 ? `${run.failed_maps} ${run.failed_maps === 1 ? "map" : "maps"} failed, ` : "";
      const where = run.cluster ? `, on ${run.cluster}` : "";
      return { text: changes, quiet: failed + found + where };
    }
    case "running":
      return { text: run.cluster ? `running on ${run.cluster}` : "running", quiet: changes };
    case "waiting":
      return { text: queuedAs(run), quiet: changes };
    case "stopped":
      return { text: "stopped", quiet: changes };
    case "failed":
      return { text: run.error ?? "failed", quiet: changes };
    case "interrupted":
      return { text: run.error ?? "interrupted", quiet: changes };
  }
}

/** What a run waits for. */
function queuedAs({ held, cluster, landed }: RunView): string {
  if (held) return "on hold";
  if (cluster) return landed > 0 ? `on ${cluster}` : `queued for ${cluster}`;
  return "queued";
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
  const [naming, setNaming] = useState(false);
  const { name, starred } = useLedger((s) => s.labels[run.id]) ?? run;
  const { text, quiet } = facts(run);
  const done = hasMaps(run);
  const imported = run.kind === "imported";
  const took = run.seconds === null ? "" : `${seconds(run.seconds)}, `;
  const under = imported ? `${run.size} px` : took + quiet;
  /** It was to be made on a cluster, and can go on. */
  const awaited = !done && run.cluster !== null && run.landed > 0;
  const repeatable = !done && run.status !== "running" && run.status !== "waiting";
  return (
    <li className="group" style={style}>
      <button
        type="button"
        aria-pressed={shown}
        title={titleOf(run)}
        disabled={!done}
        onClick={() => open({ run: run.id })}
        className={`flex size-full items-center gap-2 rounded border bg-sheet p-1.5 text-left disabled:cursor-default ${shown ? "border-ember shadow-[inset_0_-2px_var(--ember)]" : "border-line hover:border-ink-3"}`}
      >
        {!awaited && <Pictures run={run} done={done} />}
        <span className="min-w-0">
          <span className="block truncate pr-10">
            <b>
              {run.number} {run.region ? "region" : run.kind}
            </b>{" "}
            {!imported && <span className="num ml-1 text-ink-2">{run.size} px</span>}
          </span>
          {name && (
            <span className="block truncate font-[560] text-ember-strong" title={name}>
              {name}
            </span>
          )}
          <span
            className={`${name || awaited ? "line-clamp-1" : "line-clamp-2"} pr-4 leading-tight ${run.status === "failed" ? "text-madder" : ""}`}
            title={text}
          >
            {text}
          </span>
          <span
            title={under}
            className={`block truncate ${run.status === "partial" ? "text-madder" : "text-ink-3"} ${repeatable ? (awaited ? "pr-48" : "pr-20") : done ? "pr-10" : ""}`}
          >
            {under}
          </span>
        </span>
      </button>
      {naming && <Naming run={run} name={name} onClose={() => setNaming(false)} />}
      <span className="absolute top-1 right-1 flex">
        <IconButton
          aria-label={starred ? `Remove the star of run ${run.number}` : `Star run ${run.number}`}
          title={starred ? "Remove the star" : "Star: kept when old proofs are removed"}
          aria-pressed={starred}
          onClick={() => label(run.id, { starred: !starred })}
          className={starred ? "text-ochre-ink" : QUIET}
        >
          <Star className={`size-3.5 ${starred ? "fill-current" : ""}`} />
        </IconButton>
        <More run={run} onName={() => setNaming(true)} onDelete={onDelete} />
      </span>
      {done && <Pins run={run.id} shown={shown} />}
      {repeatable && (
        <span className="absolute right-1.5 bottom-1.5 flex gap-1">
          {run.landed === 0 ? (
            <button type="button" onClick={() => again(run.id)} className={ONWARD}>
              <RotateCcw className="size-3" /> Run again
            </button>
          ) : (
            <button
              type="button"
              title={awaited ? `Send what is missing to ${run.cluster} again` : undefined}
              onClick={() => resume(run.id)}
              className={ONWARD}
            >
              <Play className="size-3 fill-current" /> {awaited ? "Send again" : "Go on"}
            </button>
          )}
          {awaited && (
            <button
              type="button"
              title="Make what is missing on this machine"
              onClick={() => resume(run.id, true)}
              className={ONWARD}
            >
              Go on here
            </button>
          )}
        </span>
      )}
    </li>
  );
}

/** What an imported map was sampled with is not known. */
function titleOf({ size, samples, kind }: RunView): string {
  const sampled = `, ${samples} ${samples === 1 ? "sample" : "samples"} per texel`;
  return `${size} x ${size}${kind === "imported" ? "" : sampled}`;
}

const ONWARD =
  "flex items-center gap-1 rounded border border-line bg-sheet px-1.5 py-0.5 font-[560] hover:bg-sunk";

/** Shown when the card is pointed at or has the focus. */
const QUIET = "opacity-0 group-hover:opacity-100 group-focus-within:opacity-100";

function Pictures({ run, done }: { run: RunView; done: boolean }) {
  const label = useMapLabels();
  const maps = Object.keys(run.small)
    .filter((m) => m !== "miss" && !m.includes("@"))
    .sort((a, b) => (a === "normal" ? -1 : b === "normal" ? 1 : a.localeCompare(b)));
  if (maps.length === 0) return null;
  return (
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
  );
}

/** Looks at a run (A), or holds it against the one that is looked at (B). */
function Pins({ run, shown }: { run: number; shown: boolean }) {
  const against = useView((s) => s.against?.run ?? null);
  const other = against === run;
  const pin = (on: boolean) => {
    setAgainst(on ? { run, shows: "this", most: {} } : null);
    if (on) open({ stop: "review" });
  };
  const look = (on: boolean) =>
    `size-5 rounded-[3px] text-xs font-semibold ${on ? "bg-ink text-sheet" : `border border-line bg-sheet text-ink-2 hover:bg-sunk ${QUIET}`}`;
  return (
    <span className="absolute right-1.5 bottom-1.5 flex gap-0.5">
      {(!shown || against !== null) && (
        <button
          type="button"
          aria-label="A: show this run"
          title="A: show this run"
          aria-pressed={shown}
          onClick={() => open({ run })}
          className={look(shown)}
        >
          A
        </button>
      )}
      {!shown && (
        <button
          type="button"
          aria-label={other ? "B: stop comparing" : "B: compare with the run on screen"}
          title={other ? "B: stop comparing" : "B: compare with the run on screen"}
          aria-pressed={other}
          onClick={() => pin(!other)}
          className={look(other)}
        >
          B
        </button>
      )}
    </span>
  );
}

const ITEM = "rounded px-2 py-1.5 outline-none data-highlighted:bg-sunk data-disabled:text-ink-3";

function More(props: { run: RunView; onName: () => void; onDelete: () => void }) {
  const { run, onName, onDelete } = props;
  const { again, restore } = useActions();
  // The field for the name takes the focus, which the menu would give back to its button.
  const names = useRef(false);
  const busy = run.status === "running" || run.status === "waiting";
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger
        aria-label={`More for run ${run.number}`}
        className={`grid size-6 place-items-center rounded text-ink-3 hover:bg-sunk hover:text-ink data-[state=open]:opacity-100 ${QUIET}`}
      >
        <Ellipsis className="size-3.5" />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="end"
          side="top"
          onCloseAutoFocus={(e) => {
            if (!names.current) return;
            e.preventDefault();
            names.current = false;
            onName();
          }}
          className="z-50 min-w-44 rounded border border-line bg-sheet p-1 shadow-lg"
        >
          <DropdownMenu.Item
            className={ITEM}
            onSelect={() => {
              names.current = true;
            }}
          >
            Name…
          </DropdownMenu.Item>
          {run.kind !== "imported" && (
            <>
              <DropdownMenu.Item className={ITEM} onSelect={() => restore(run.id)}>
                Restore its settings
              </DropdownMenu.Item>
              <DropdownMenu.Item className={ITEM} disabled={busy} onSelect={() => again(run.id)}>
                Run again
              </DropdownMenu.Item>
            </>
          )}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={ITEM} disabled={run.status === "running"} onSelect={onDelete}>
            Delete…
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** The name of a run, typed over its card; an empty one takes it away. */
function Naming({ run, name, onClose }: { run: RunView; name: string; onClose: () => void }) {
  const [typed, setTyped] = useState(name);
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.select(), []);
  const finish = () => {
    if (typed.trim() !== name) label(run.id, { name: typed.trim() });
    onClose();
  };
  return (
    <input
      ref={field}
      aria-label={`Name of run ${run.number}`}
      value={typed}
      maxLength={60}
      placeholder="No name"
      onChange={(e) => setTyped(e.target.value)}
      onBlur={finish}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") finish();
        if (e.key === "Escape") onClose();
      }}
      className="absolute inset-x-1.5 top-1.5 z-10 h-7 rounded border border-ink bg-sheet px-2 font-semibold"
    />
  );
}
