// Where the mask lies: its terms one under the other, each a signal with its range on the histogram and its break-up.
import type { Mask, Signal, Term } from "../../api/types";
import { Section } from "../../ui/parts";
import { Select } from "../../ui/select";
import { twoFigures, useDiagonal, useMaskChoices, useMaskEdits } from "./edit";
import { setFinish } from "./state";
import { TermCard } from "./term-card";

type Choices = NonNullable<ReturnType<typeof useMaskChoices>["data"]>;

/** A signal as it is added: measured at a middling size. */
export function freshSignal(
  kind: string,
  choices: Choices,
  diagonal: number,
  others: readonly string[],
): Signal {
  const info = choices.signals.find((s) => s.kind === kind);
  const input = info?.measure?.input;
  const share = input?.kind === "length" ? Math.sqrt(input.from * input.to) : 0.01;
  const length = twoFigures(share * diagonal);
  const fresh: Record<string, Signal> = {
    curvature: { kind: "curvature", size: length },
    occlusion: { kind: "occlusion", distance: length },
    cavity: { kind: "cavity", size: length },
    thickness: { kind: "thickness", distance: length },
    facing: { kind: "facing", direction: [0, 1, 0] },
    height: { kind: "height", axis: "y" },
    distance: { kind: "distance", part: "" },
    region: { kind: "region", by: "part", names: [] },
    channel: { kind: "channel", of: "r" },
    picture: { kind: "picture", file: "", channel: "r" },
    paint: { kind: "paint", strokes: [] },
    mask: { kind: "mask", mask: others[0] ?? "" },
  };
  const noise = choices.patterns[0]?.fresh;
  if (kind === "pattern" && noise) return { kind: "pattern", pattern: sized(noise, diagonal) };
  return fresh[kind] ?? { kind: "facing", direction: [0, 1, 0] };
}

/** A pattern in a size that suits the asset. */
export function sized<P extends { kind: string }>(pattern: P, diagonal: number): P {
  return "size" in pattern ? { ...pattern, size: twoFigures(0.05 * diagonal) } : pattern;
}

/** Signals that are 0 or 1, or whose range says nothing that other controls do not. */
export const WITHOUT_RANGE = ["region", "paint", "mask"];

/** A term as it is added: the upper half of what the signal can be, or all of it where that is not known. */
export function freshTerm(signal: Signal, choices: Choices): Term {
  const range = choices.signals.find((s) => s.kind === signal.kind)?.range;
  if (!range) {
    const end = choices.open_end;
    return { signal, from: [-end, -end], to: [end, end] };
  }
  const [low, high] = range;
  // What shows no range keeps all its greys: a soft stroke stays soft.
  if (WITHOUT_RANGE.includes(signal.kind)) return { signal, from: [low, high], to: [high, high] };
  const at = (share: number) => low + share * (high - low);
  return { signal, from: [at(0.55), at(0.65)], to: [high, high] };
}

export function WhereSection({ mask }: { mask: Mask }) {
  const choices = useMaskChoices().data;
  const edits = useMaskEdits(mask.name);
  const diagonal = useDiagonal();
  if (!choices) return null;
  const { terms } = mask.place;
  const add = (kind: string) => {
    setFinish({ term: terms.length, hand: null });
    edits.terms((all) => [...all, freshTerm(freshSignal(kind, choices, diagonal, []), choices)]);
  };
  return (
    <Section
      title="Where"
      aside={
        <Select
          label="Add a signal"
          value=""
          placeholder="Add a signal"
          options={choices.signals.map((s) => [s.kind, s.label] as const)}
          onChange={add}
        />
      }
    >
      {terms.length === 0 && (
        <p className="text-ink-2">Everywhere. Add a signal to say where it lies, or pick examples below.</p>
      )}
      {terms.map((term, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: terms have no names, only places
        <TermCard key={i} mask={mask} term={term} number={i} choices={choices} />
      ))}
    </Section>
  );
}
