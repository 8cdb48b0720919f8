// One ray of a texel: which of its rays it is, where it ran, and each surface that it crossed.
import { ChevronLeft, ChevronRight } from "lucide-react";
import type { Crossing, Fate, TracedRay } from "../../api/types";
import { Glyph } from "../../ui/glyph";
import { NEEDLE_COLOURS } from "../reach/marks";
import { setTraced, useTraced } from "./state";

const FATES: Record<Fate, { shape: number; words: string }> = {
  taken: { shape: 0, words: "hit" },
  behind: { shape: 1, words: "behind the hit" },
  "back-face": { shape: 2, words: "skipped: a back face" },
  "other-pair": { shape: 3, words: "skipped: not of this pair" },
};

/** The rays of a texel of several samples, each by what became of it; one is told at a time. */
export function RaySteps({ rays }: { rays: TracedRay[] }) {
  const tracedRay = useTraced((s) => s.ray);
  const hit = (ray: TracedRay) => ray.crossings.some((c) => c.fate === "taken");
  const hits = rays.filter(hit).length;
  const step = (by: number) => setTraced({ ray: (tracedRay + by + rays.length) % rays.length });
  const arrow = "grid h-6 w-6 place-items-center rounded border border-line hover:bg-sunk";
  return (
    <div className="mb-2 border-b border-line pb-2">
      <div className="flex items-center gap-2">
        <button type="button" aria-label="Previous ray" className={arrow} onClick={() => step(-1)}>
          <ChevronLeft className="size-3.5" />
        </button>
        <b className="whitespace-nowrap">
          Ray {tracedRay + 1} of {rays.length}
        </b>
        <button type="button" aria-label="Next ray" className={arrow} onClick={() => step(1)}>
          <ChevronRight className="size-3.5" />
        </button>
        <span className="num grow text-right text-ink-2">
          {hits} hit, {rays.length - hits} miss
        </span>
      </div>
      <div className="mt-1.5 flex flex-wrap gap-0.5 rounded bg-[#4a4744] p-1">
        {rays.map((ray, i) => (
          <button
            // biome-ignore lint/suspicious/noArrayIndexKey: a ray is its place in the texel's pattern
            key={i}
            type="button"
            aria-label={`Ray ${i + 1}: ${hit(ray) ? "hit" : "missed"}`}
            aria-pressed={i === tracedRay}
            className={`rounded-[2px] p-0.5 ${i === tracedRay ? "bg-white/30" : "hover:bg-white/15"}`}
            onClick={() => setTraced({ ray: i })}
          >
            <Glyph shape={hit(ray) ? 0 : 1} colour={NEEDLE_COLOURS[hit(ray) ? 0 : 1]} />
          </button>
        ))}
      </div>
    </div>
  );
}

export function RayFacts({ ray }: { ray: TracedRay }) {
  const plumb =
    ray.plumb === 0 ? "averaged" : ray.plumb === 1 ? "plumb" : `${Math.round(ray.plumb * 100)} % plumb`;
  const place = (p: readonly number[]) => p.map((c) => c.toFixed(3)).join(", ");
  const facts: [string, string][] = [
    ["Low-poly", `${ray.part}, triangle ${ray.triangle}`],
    ["Starts at", place(ray.start)],
    ["Runs along", place(ray.direction)],
    ["Reach out / in", `${ray.reach_out.toPrecision(3)} / ${ray.reach_in.toPrecision(3)}`],
    ["Direction", `${plumb}, leans ${ray.lean.toFixed(1)} deg`],
  ];
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-3">
      {facts.map(([name, value]) => (
        <Fact key={name} name={name} value={value} />
      ))}
    </dl>
  );
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <>
      <dt className="text-ink-2">{name}</dt>
      <dd className="num min-w-0 truncate text-right" title={value}>
        {value}
      </dd>
    </>
  );
}

export function Surface({ crossing }: { crossing: Crossing }) {
  const { shape, words } = FATES[crossing.fate];
  const colour = shape === 0 ? "#9be0a6" : (NEEDLE_COLOURS[shape] ?? "var(--ink-3)");
  return (
    <li className="grid grid-cols-[16px_1fr_auto] items-baseline gap-x-1.5 border-t border-line py-1 first:border-0">
      <span className="self-center rounded-[2px] bg-[#4a4744] p-px">
        <Glyph shape={shape} colour={colour} />
      </span>
      <span className={`min-w-0 truncate ${shape === 0 ? "font-semibold" : ""}`} title={crossing.part}>
        {crossing.part}
      </span>
      <span className="num" title="Over the low-poly, along the ray">
        {crossing.height >= 0 ? "+" : ""}
        {crossing.height.toFixed(4)}
      </span>
      <span className="col-start-2 col-end-4 text-ink-3">
        {words}, {crossing.facing} side, <span className="num">{crossing.distance.toFixed(4)}</span> from the
        start
      </span>
    </li>
  );
}
