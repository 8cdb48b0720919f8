// What is baked now and what waits, of all assets: watched, reordered, held, removed. It goes on without the page.
import { GripVertical, Pause, Play, Square, X } from "lucide-react";
import { type KeyboardEvent, useRef, useState } from "react";
import { open } from "../../api/open";
import { useProgress } from "../../api/progress";
import { useActions, useMapLabels, useQueue } from "../../api/queries";
import type { ProgressView, QueuedRun, RunView } from "../../api/types";
import { useDraggedRow } from "../../ui/drag-rows";
import { Failed } from "../../ui/failed";
import { Fold } from "../../ui/fold";
import { Button, IconButton, Section, seconds } from "../../ui/parts";
import { Bar } from "../../ui/progress";
import { RUN_KINDS } from "../../ui/run-kind";
import { Tick } from "../../ui/tick";
import { setTells, useTells } from "./telling";
import { TimeRows } from "./time-rows";

/** A list with one of its entries at another place. */
export function reordered(list: readonly number[], entry: number, to: number): number[] {
  const others = list.filter((one) => one !== entry);
  const at = Math.max(0, Math.min(others.length, to));
  return [...others.slice(0, at), entry, ...others.slice(at)];
}

/** What becomes of a run that waits. */
function waits(run: RunView): string {
  if (run.held) return ", on hold";
  if (run.cluster) return run.landed > 0 ? `, on ${run.cluster}` : `, for ${run.cluster}`;
  return run.landed > 0 ? ", paused" : "";
}

const nameOf = ({ run }: QueuedRun) => `${RUN_KINDS[run.kind]} ${run.number}`;

export function QueueSection() {
  const asked = useQueue();
  const progress = useProgress((s) => s.running);
  const { orderQueue } = useActions();
  const list = useRef<HTMLOListElement>(null);
  const queue = asked.data ?? [];
  const waiting = queue.filter((q) => q.run.status === "waiting");
  const finals = waiting.filter((q) => q.run.kind === "final").map((q) => q.run.id);
  const running = queue.find((q) => q.run.id === progress?.run);
  /** The order while one is dragged. */
  const [order, setOrder] = useState<readonly number[] | null>(null);
  const [dragged, grab] = useDraggedRow<number>(list, {
    rows: "[data-final]",
    over: (run, row) => setOrder(reordered(order ?? finals, run, row)),
    dropped: () => {
      if (order && order.join() !== finals.join()) orderQueue([...order]);
      setOrder(null);
    },
  });
  if (asked.isError) return <Failed of={asked} />;
  if (!progress && waiting.length === 0) return null;
  const shown = [
    ...waiting.filter((q) => q.run.kind === "proof"),
    ...(order ?? finals).flatMap((id) => waiting.filter((q) => q.run.id === id)),
  ];
  const step = (run: number, by: number) => orderQueue(reordered(finals, run, finals.indexOf(run) + by));
  return (
    <Section title="Queue" aside={<span className="num text-ink-3">{queue.length}</span>}>
      {progress && <Now progress={progress} queued={running} />}
      {shown.length > 0 && (
        <ol ref={list} aria-label="Waiting" className="mt-1.5">
          {shown.map((queued) => (
            <WaitingRow
              key={queued.run.id}
              queued={queued}
              dragged={dragged === queued.run.id}
              movable={queued.run.kind === "final" && finals.length > 1}
              onGrab={() => grab(queued.run.id)}
              onStep={(by) => step(queued.run.id, by)}
            />
          ))}
        </ol>
      )}
      <Telling />
    </Section>
  );
}

function Now({ progress, queued }: { progress: ProgressView; queued: QueuedRun | undefined }) {
  const { stop, hold, resume } = useActions();
  const label = useMapLabels();
  const { maps, rays_per_second: rate } = progress;
  const far = queued?.run.cluster;
  const rays = Math.max(0, 1 - maps.reduce((sum, m) => sum + m.share, 0));
  const rows: [string, number][] = [
    ["Primary rays", rays],
    ...maps.map((m) => [label(m.map), m.share] as [string, number]),
  ];
  const most = rows.reduce((a, b) => (b[1] > a[1] ? b : a))[0];
  return (
    <div>
      <div className="flex items-baseline justify-between gap-2">
        <button
          type="button"
          className="min-w-0 truncate text-left hover:underline"
          onClick={() => open({ asset: progress.asset, run: null })}
        >
          {queued ? (
            <>
              <b>{queued.asset_name}</b>, {nameOf(queued).toLowerCase()}
            </>
          ) : (
            progress.stage
          )}
        </button>
        <b className="num shrink-0 whitespace-nowrap">{Math.round(progress.share * 100)} %</b>
      </div>
      <div className="my-1.5">
        <Bar label="Bake progress" share={progress.share} />
      </div>
      <p className="text-ink-3">
        {queued && <span className="text-ink-2">{progress.stage}, </span>}
        <span className="num">
          {seconds(progress.elapsed)} elapsed
          {progress.left !== null ? `, ${seconds(progress.left)} left` : ""}
        </span>
      </p>
      <div className="mt-1.5 flex justify-end gap-1">
        {far && (
          <Button title="Make what is missing on this machine" onClick={() => resume(progress.run, true)}>
            Go on here
          </Button>
        )}
        {progress.kind === "final" && (
          <Button onClick={() => hold(progress.run, true)}>
            <Pause className="size-3 fill-current" /> Hold
          </Button>
        )}
        <Button onClick={() => stop(progress.run)}>
          <Square className="size-3 fill-current" /> Stop
        </Button>
      </div>
      {rate !== null && (
        <Fold title={`${(rate / 1e6).toFixed(1)} million rays per second. Most of the time: ${most}`}>
          <TimeRows rows={rows} />
        </Fold>
      )}
    </div>
  );
}

function WaitingRow(props: {
  queued: QueuedRun;
  dragged: boolean;
  movable: boolean;
  onGrab: () => void;
  onStep: (by: number) => void;
}) {
  const { queued, dragged, movable, onGrab, onStep } = props;
  const { stop, hold } = useActions();
  const { run } = queued;
  const name = `${queued.asset_name}, ${nameOf(queued).toLowerCase()}`;
  const key = (e: KeyboardEvent) => {
    const by = e.key === "ArrowUp" ? -1 : e.key === "ArrowDown" ? 1 : 0;
    if (by === 0) return;
    e.preventDefault();
    e.stopPropagation();
    onStep(by);
  };
  return (
    <li
      data-final={run.kind === "final" ? run.id : undefined}
      className={`flex items-center gap-1 border-t border-line py-1 ${dragged ? "opacity-60" : ""}`}
    >
      {movable ? (
        <button
          type="button"
          aria-label={`Move ${name}`}
          title="Drag, or press the up and down arrow keys"
          className="grid h-6 w-4 cursor-grab touch-none place-items-center text-ink-3 hover:text-ink"
          onPointerDown={(e) => e.button === 0 && onGrab()}
          onKeyDown={key}
        >
          <GripVertical className="size-3.5" />
        </button>
      ) : (
        <span className="w-4" />
      )}
      <span className="min-w-0 flex-1 leading-tight">
        <b className="block truncate">{queued.asset_name}</b>
        <span className="num block truncate text-ink-3">
          {nameOf(queued)}, {run.size} px{waits(run)}
        </span>
      </span>
      <IconButton
        aria-label={run.held ? `Release ${name}` : `Hold ${name}`}
        onClick={() => hold(run.id, !run.held)}
      >
        {run.held ? <Play className="size-3.5 fill-current" /> : <Pause className="size-3.5 fill-current" />}
      </IconButton>
      <IconButton aria-label={`Remove ${name} from the queue`} onClick={() => stop(run.id)}>
        <X className="size-3.5" />
      </IconButton>
    </li>
  );
}

/** Whether the browser says so when a final is done. */
function Telling() {
  const tells = useTells((s) => s.tells);
  if (typeof Notification === "undefined") return null;
  return (
    <div className="mt-2">
      <Tick checked={tells} onChange={setTells}>
        Notify me when a final ends
      </Tick>
    </div>
  );
}
