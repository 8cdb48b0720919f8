// The trail: the eight stops in the order the work goes, each with its state told by shape and number.
import { Check } from "lucide-react";
import { hasMaps, useAsset, useShownRun } from "../api/queries";
import type { Finding } from "../api/types";
import { STOP_LABELS, STOPS, type Stop, useStore } from "../state";

type StopState = { open: number } | "ready" | "nothing";

const open = (findings: Finding[]) => findings.filter((f) => f.severity !== "note" && !f.allowed).length;

export function meshFindings(asset: NonNullable<ReturnType<typeof useAsset>["data"]>): Finding[] {
  const own = asset.meshes.flatMap((m) => {
    return m.summary.findings.map((f) => ({ ...f, place: { ...f.place, file: m.file } }));
  });
  return asset.placing ? [asset.placing, ...own] : own;
}

export function resultFindings(run: ReturnType<typeof useShownRun>): Finding[] {
  const kinds = [
    "misses",
    "back-face-hits",
    "wrong-part-hits",
    "lean",
    "cage-gaps",
    "colours-merged",
    "range-clipped",
    "picture-texels",
  ];
  return run?.report?.findings.filter((f) => kinds.includes(f.kind)) ?? [];
}

function useStates(): Record<Stop, StopState> {
  const asset = useAsset().data;
  const run = useShownRun();
  const whole = Boolean(asset && asset.recipe.low.length > 0 && asset.recipe.high.length > 0);
  const told = (n: number, ready: boolean): StopState => (n > 0 ? { open: n } : ready ? "ready" : "nothing");
  const final = asset?.runs.some((r) => r.kind === "final" && hasMaps(r)) ?? false;
  return {
    meshes: told(asset ? open(meshFindings(asset)) : 0, whole),
    pairs: told(asset ? open(asset.pair_findings) : 0, whole),
    reach: told(0, whole),
    maps: told(0, whole),
    bake: told(0, Boolean(run)),
    review: told(open(resultFindings(run)), Boolean(run)),
    masks: "nothing",
    deliver: told(0, final),
  };
}

export function Trail() {
  const at = useStore((s) => s.stop);
  const set = useStore((s) => s.set);
  const states = useStates();
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
          <li key={stop} className="flex">
            <button
              type="button"
              aria-current={at === stop ? "step" : undefined}
              onClick={() => set({ stop })}
              className={`flex min-w-0 grow items-center gap-2 px-2 ${at === stop ? "font-[680] text-ink shadow-[inset_0_-2px_var(--ember)]" : "font-[520] text-ink-2 hover:text-ink"}`}
            >
              <StateMark state={states[stop]} />
              <span className="truncate">{STOP_LABELS[stop]}</span>
            </button>
          </li>
        ))}
      </ol>
    </nav>
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
