// Which parts of the sculpt block a map's own rays.
import type { Occluders } from "../../api/types";
import { Choice } from "../../ui/choice";
import { Fold } from "../../ui/fold";
import { Tick } from "../../ui/tick";

const HINTS = {
  pair: "Only parts of the same pair darken each other.",
  all: "Every part of the sculpt darkens every other.",
  parts: "Only ticked parts darken, whatever they pair with.",
};

export function OccludersRow(props: {
  parts: string[];
  value: Occluders;
  onChange: (value: Occluders) => void;
}) {
  const { parts, value, onChange } = props;
  const kind = typeof value === "string" ? value : "parts";
  const chosen = typeof value === "string" ? parts : value.parts;
  return (
    <>
      <Choice<"pair" | "all" | "parts">
        label="Occluders"
        hint={kind === "parts" && chosen.length === 0 ? "No part is ticked: nothing darkens." : HINTS[kind]}
        value={kind}
        options={[
          ["pair", "Own pair"],
          ["all", "Whole sculpt"],
          ["parts", "Chosen parts"],
        ]}
        onChange={(v) => onChange(v === "parts" ? { parts } : v)}
      />
      {kind === "parts" && (
        <PartTicks parts={parts} ticked={chosen} onChange={(ticked) => onChange({ parts: ticked })} />
      )}
    </>
  );
}

export function ClearParts(props: { parts: string[]; value: string[]; onChange: (clear: string[]) => void }) {
  if (props.parts.length < 2) return null;
  return (
    <Fold
      title={`Floating details${props.value.length > 0 ? ` (${props.value.length})` : ""}`}
      startsOpen={props.value.length > 0}
    >
      <p className="text-xs text-ink-3">Ticked parts darken nothing, so no blotches show under them.</p>
      <PartTicks parts={props.parts} ticked={props.value} onChange={props.onChange} />
    </Fold>
  );
}

function PartTicks(props: { parts: string[]; ticked: string[]; onChange: (ticked: string[]) => void }) {
  const { parts, ticked, onChange } = props;
  return (
    <ul className="mb-1">
      {parts.map((part) => (
        <li key={part}>
          <Tick
            checked={ticked.includes(part)}
            onChange={(on) => onChange(on ? [...ticked, part] : ticked.filter((p) => p !== part))}
          >
            <span className="truncate">{part}</span>
          </Tick>
        </li>
      ))}
    </ul>
  );
}
