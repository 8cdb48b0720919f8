// The story of one texel: its ray, every surface it crossed and why each was taken or skipped, map values, and its
// neighbours.

import { X } from "lucide-react";
import { useAsset, useMapLabels } from "../../api/queries";
import type { TraceNeighbour, TraceView } from "../../api/types";
import { Failed } from "../../ui/failed";
import { setTraced, useTraced } from "./state";
import { useTrace } from "./trace";
import { RayFacts, RaySteps, Surface } from "./trace-ray";

export function TraceCard() {
  const traced = useTraced((s) => s.traced);
  const story = useTrace();
  const run = useAsset().data?.runs.find((r) => r.id === traced?.run);
  if (!traced) return null;
  return (
    <section
      aria-label="Trace"
      data-tells-texels
      className="flex max-h-[48%] shrink-0 flex-col overflow-hidden border-t border-line bg-sheet"
    >
      <header className="flex items-center gap-2 border-b border-line px-3 py-1.5">
        <h2>
          Texel{" "}
          <span className="num">
            {traced.x}, {traced.y}
          </span>
        </h2>
        <span className="grow text-ink-3">{run ? `run ${run.number}` : ""}</span>
        <button type="button" aria-label="Close the trace" onClick={() => setTraced({ traced: null })}>
          <X className="size-3.5 text-ink-3 hover:text-ink" />
        </button>
      </header>
      <div className="@container overflow-y-auto px-3 py-2">
        {story.isPending && <p className="animate-pulse text-ink-3">Following the ray…</p>}
        <Failed of={story} />
        {story.data && <Story view={story.data} />}
      </div>
    </section>
  );
}

function Story({ view }: { view: TraceView }) {
  const label = useMapLabels();
  const { rays, neighbours } = view.trace;
  const ray = rays[useTraced((s) => s.ray)] ?? rays[0];
  if (!ray) return <p className="text-ink-2">This texel is padding: no low-poly covers it.</p>;
  return (
    <div className="gap-5 @md:columns-2">
      <div className="[column-span:all]">
        {rays.length > 1 && <RaySteps rays={rays} />}
        <RayFacts ray={ray} />
      </div>
      <div className="break-inside-avoid">
        <h3 className="mt-2 font-semibold">Surfaces crossed</h3>
        {ray.crossings.length === 0 ? (
          <p className="text-ink-2">None. The ray missed the sculpt: increase a reach here.</p>
        ) : (
          <ol className="mt-1">
            {ray.crossings.map((c) => (
              <Surface key={c.distance} crossing={c} />
            ))}
            {ray.more && <li className="text-ink-3">and more behind these</li>}
          </ol>
        )}
      </div>
      <div className="break-inside-avoid">
        <h3 className="mt-2 font-semibold">Map values</h3>
        <dl className="mt-1 grid grid-cols-[auto_1fr] gap-x-3">
          {view.maps.map((m) => (
            <MapLine key={m.map} name={label(m.map)} words={m.words} channels={m.channels} />
          ))}
        </dl>
      </div>
      <div className="break-inside-avoid">
        <Neighbours around={neighbours} />
      </div>
    </div>
  );
}

function MapLine(props: { name: string; words: string; channels: number[] }) {
  return (
    <>
      <dt className="text-ink-2">{props.name}</dt>
      <dd className="num text-right">{props.words || props.channels.map((c) => c.toFixed(3)).join(", ")}</dd>
    </>
  );
}

/** The texels around, as heights: a jump or a hole among them shows at once. */
function Neighbours({ around }: { around: TraceNeighbour[] }) {
  const parts = [...new Set(around.map((n) => n.part).filter((p) => p !== null))];
  return (
    <>
      <h3 className="mt-2 font-semibold">Texels around, heights</h3>
      <div className="num mt-1 grid w-fit grid-cols-3 gap-px text-right text-xs">
        {around.map((n) => (
          <span
            key={`${n.x} ${n.y}`}
            className={`px-1.5 py-0.5 ${n.covered && n.height === null ? "bg-madder text-white" : "bg-sunk"}`}
          >
            {n.height !== null ? n.height.toFixed(4) : n.covered ? "miss" : "void"}
          </span>
        ))}
      </div>
      {parts.length > 1 && <p className="mt-1 text-ink-2">They hit {parts.join(" and ")}.</p>}
    </>
  );
}
