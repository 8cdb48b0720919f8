// The trail: the eight stops in the order the work goes, each with its state told by shape and number.
import { Check } from "lucide-react";
import { open, useOpen } from "../api/open";
import { STOPS } from "../stops";
import type { Stop, StopState } from "../stops/stop";

export function Trail() {
  return (
    <nav aria-label="Trail" className="relative border-b border-line">
      <svg
        className="absolute inset-0 size-full fill-sunk"
        viewBox="0 0 1280 42"
        preserveAspectRatio="none"
        aria-hidden
      >
        <path d="M0 38 L90 35 L150 37 L250 32 L320 35 L410 29 L480 33 L570 26 L650 31 L730 23 L810 28 L890 19 L970 25 L1050 15 L1130 21 L1215 10 L1280 15 V42 H0 Z" />
      </svg>
      <ol className="relative grid h-[42px] grid-cols-8 px-2">
        {STOPS.map((stop) => (
          <TrailStop key={stop.id} stop={stop} />
        ))}
      </ol>
    </nav>
  );
}

function TrailStop({ stop }: { stop: Stop }) {
  const here = useOpen((s) => s.stop === stop.id);
  const state = stop.useState();
  return (
    <li className="flex min-w-0">
      <button
        type="button"
        aria-current={here ? "step" : undefined}
        onClick={() => open({ stop: stop.id })}
        className={`flex min-w-0 grow items-center gap-2 px-2 ${here ? "font-[680] text-ink shadow-[inset_0_-2px_var(--ember)]" : "font-[520] text-ink-2 hover:text-ink"}`}
      >
        <StateMark state={state} />
        <span className="truncate">{stop.label}</span>
      </button>
    </li>
  );
}

function StateMark({ state }: { state: StopState }) {
  if (state === "ready")
    return (
      <span className="grid size-4 shrink-0 place-items-center rounded-full bg-moss text-sheet">
        <Check className="size-3" strokeWidth={3} aria-label="ready" />
      </span>
    );
  if (state === "nothing")
    return (
      <span
        className="size-3.5 shrink-0 rounded-full border-[1.4px] border-ink-3 bg-ground"
        role="img"
        aria-label="nothing yet"
      />
    );
  return (
    <span
      className="num grid h-4 min-w-4 shrink-0 place-items-center rounded-[2px] bg-ochre px-1 font-semibold text-[#201500]"
      role="img"
      aria-label={`${state.open} open findings`}
    >
      {state.open}
    </span>
  );
}
