// One term: how it joins those before it, its signal and how that is measured, its range on the histogram, and its break-up.
import { X } from "lucide-react";
import type { Combine, Mask, MaskChoices, Term } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { IconButton, Row } from "../../ui/parts";
import { Select } from "../../ui/select";
import { BreakUpRows } from "./break-up";
import { fine, useDiagonal, useMaskEdits } from "./edit";
import { type Ends, Histogram } from "./histogram";
import { share } from "./legend";
import { useShownMask } from "./live";
import { useMaskAt } from "./probe";
import { SignalRows } from "./signal-rows";
import { setFinish, useFinish } from "./state";
import { freshSignal, freshTerm, WITHOUT_RANGE } from "./where-section";

const FIRST: readonly (readonly [Combine, string])[] = [
  ["and", "On"],
  ["minus", "Not on"],
];
const JOINS: readonly (readonly [Combine, string])[] = [
  ["and", "And"],
  ["or", "Or"],
  ["minus", "But not"],
];

export function TermCard(props: { mask: Mask; term: Term; number: number; choices: MaskChoices }) {
  const { mask, term, number, choices } = props;
  const edits = useMaskEdits(mask.name);
  const diagonal = useDiagonal();
  const live = useShownMask()?.view?.terms[number];
  const info = choices.signals.find((s) => s.kind === term.signal.kind);
  const first = number === 0;
  const combine = term.combine ?? "and";
  const take = (kind: string) => {
    const fresh = freshTerm(freshSignal(kind, choices, diagonal, []), choices);
    setFinish({ hand: null });
    edits.term(number, { ...fresh, break_up: null });
  };
  return (
    <fieldset
      aria-label={`Term ${number + 1}`}
      className={`min-w-0 ${first ? "" : "mt-2 border-t border-line pt-1.5"}`}
      onFocus={() => setFinish({ term: number })}
    >
      <div className="flex items-center gap-1">
        <Select
          label={`Term ${number + 1}: how it joins`}
          options={first ? FIRST : JOINS}
          value={first && combine === "or" ? "and" : combine}
          onChange={(v) => edits.term(number, { combine: v })}
        />
        <Select
          label={`Term ${number + 1}: signal`}
          className="min-w-0 grow bg-sunk font-semibold hover:ring-1 hover:ring-line"
          options={choices.signals.map((s) => [s.kind, s.label] as const)}
          value={term.signal.kind}
          onChange={take}
        />
        <IconButton
          aria-label={`Remove term ${number + 1}`}
          onClick={() => {
            setFinish({ term: 0, hand: null });
            edits.terms((all) => all.filter((_, i) => i !== number));
          }}
        >
          <X className="size-3.5" />
        </IconButton>
      </div>
      {info && <p className="pt-0.5 text-xs text-ink-3">{info.explains}</p>}
      <SignalRows mask={mask} term={term} number={number} choices={choices} />
      {live?.error && (
        <p role="alert" className="text-madder">
          {live.error}.
        </p>
      )}
      {!WITHOUT_RANGE.includes(term.signal.kind) && (
        <Range mask={mask} term={term} number={number} choices={choices} />
      )}
      <BreakUpRows mask={mask} term={term} number={number} choices={choices} />
    </fieldset>
  );
}

function Range(props: { mask: Mask; term: Term; number: number; choices: MaskChoices }) {
  const { mask, term, number, choices } = props;
  const edits = useMaskEdits(mask.name);
  const diagonal = useDiagonal();
  const live = useShownMask()?.view?.terms[number];
  const pointed = useMaskAt((s) => s.at?.terms[number]?.signal ?? null);
  const ranging = useFinish((s) => s.hand === "range" && s.term === number);
  const info = choices.signals.find((s) => s.kind === term.signal.kind);
  const inLengths = info?.unit === "length";
  const { digits, step } = inLengths ? fine(diagonal) : { digits: 2, step: 0.01 };
  const ends: Ends = [...term.from, ...term.to];
  const put = ([a, b, c, d]: Ends) => edits.term(number, { from: [a, b], to: [c, d] });
  const limit = choices.open_end;
  const field = (at: 0 | 1 | 2 | 3, label: string) => (
    <NumberField
      label={`Term ${number + 1}: ${label}`}
      value={ends[at]}
      unit={inLengths ? "u" : undefined}
      min={-limit}
      max={limit}
      step={step}
      digits={Math.abs(ends[at]) >= limit ? 0 : digits}
      onChange={(v) => {
        const next = [...ends] as Ends;
        next[at] = v;
        // What is typed moves its neighbours along, so that the ends stay in order.
        for (let i = at + 1; i < 4; i++) next[i] = Math.max(next[i] ?? v, v);
        for (let i = at - 1; i >= 0; i--) next[i] = Math.min(next[i] ?? v, v);
        put(next);
      }}
    />
  );
  return (
    <div className="pt-1">
      <div className="flex min-h-6 items-center justify-between gap-2">
        <span>
          <b className="num">{live?.covers != null ? share(live.covers) : "…"}</b>{" "}
          <span className="text-ink-2">of the surface</span>
        </span>
        <button
          type="button"
          aria-pressed={ranging}
          title="Click on a stage to include a place, Alt-click to leave it out"
          onClick={() => setFinish({ hand: ranging ? null : "range", term: number })}
          className="h-6 rounded border border-line px-2 hover:bg-sunk aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
        >
          Set on the model
        </button>
      </div>
      {ranging && (
        <p className="text-xs text-ink-3">Click on a stage to include a place. Alt-click leaves it out.</p>
      )}
      {live?.histogram && (
        <Histogram
          label={live.signal}
          data={live.histogram}
          ends={ends}
          meanings={info?.ends ?? ["low", "high"]}
          pointed={pointed}
          onChange={put}
        />
      )}
      <Row label="From">
        {field(0, "0 below")}
        {field(1, "1 from")}
      </Row>
      <Row label="To">
        {field(2, "1 up to")}
        {field(3, "0 above")}
      </Row>
    </div>
  );
}
