// Regions that a term holds, picked on the stages.
import { X } from "lucide-react";
import type { RegionBy, Signal } from "../../api/types";
import { Row } from "../../ui/parts";
import { Select } from "../../ui/select";
import { useMaskEdits } from "./edit";
import type { SignalProps } from "./signal-rows";
import { setFinish, useFinish } from "./state";

const BY: readonly (readonly [RegionBy, string])[] = [
  ["part", "Part"],
  ["material", "Material"],
  ["piece", "Loose piece"],
  ["island", "UV island"],
  ["id", "ID colour"],
  ["vertex-color", "Vertex colour"],
];

type Region = Extract<Signal, { kind: "region" }>;

export function RegionRows({ mask, number, signal }: SignalProps & { signal: Region }) {
  const edits = useMaskEdits(mask.name);
  const picking = useFinish((s) => s.hand === "pick" && s.term === number);
  const put = (change: Partial<Region>) => edits.term(number, { signal: { ...signal, ...change } });
  return (
    <>
      <Row label="By">
        <Select label="Regions by" options={BY} value={signal.by} onChange={(by) => put({ by, names: [] })} />
        <button
          type="button"
          aria-pressed={picking}
          onClick={() => setFinish({ hand: picking ? null : "pick", term: number })}
          className="h-6 rounded border border-line px-2 hover:bg-sunk aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
        >
          Pick
        </button>
      </Row>
      {picking && (
        <p className="pb-1 text-xs text-ink-3">
          Click a region on a stage, or drag over several on the model. Shift adds, Alt takes away.
        </p>
      )}
      <ul className="flex flex-wrap gap-1" aria-label="Picked regions">
        {signal.names.map((name) => (
          <li key={name} className="flex h-6 max-w-full items-center gap-1 rounded bg-sunk pr-0.5 pl-1.5">
            <span className="truncate">{name}</span>
            <button
              type="button"
              aria-label={`Take ${name} away`}
              onClick={() => put({ names: signal.names.filter((n) => n !== name) })}
              className="grid size-5 place-items-center rounded text-ink-3 hover:text-ink"
            >
              <X className="size-3" />
            </button>
          </li>
        ))}
        {signal.names.length === 0 && !picking && <li className="text-ink-3">Nothing picked yet.</li>}
      </ul>
    </>
  );
}
