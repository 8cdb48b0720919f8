// How a term breaks up: a pattern that moves its signal before the range is taken.

import { NumberField } from "../../ui/number-field";
import { Row } from "../../ui/parts";
import { Tick } from "../../ui/tick";
import { fine, useDiagonal, useMaskEdits } from "./edit";
import { PatternRows } from "./pattern-rows";
import { MaskPictureRow } from "./picture-row";
import type { SignalProps } from "./signal-rows";
import { sized } from "./where-section";

/** Signals without in-between values cannot fray. */
const WHOLE = ["region", "mask"];

export function BreakUpRows({ mask, term, number, choices }: SignalProps) {
  const edits = useMaskEdits(mask.name);
  const diagonal = useDiagonal();
  const info = choices.signals.find((s) => s.kind === term.signal.kind);
  const noise = choices.patterns[0]?.fresh;
  if (!noise || WHOLE.includes(term.signal.kind)) return null;
  const inLengths = info?.unit === "length";
  const { digits, step } = inLengths ? fine(diagonal) : { digits: 2, step: 0.005 };
  const breakUp = term.break_up ?? null;
  return (
    <div className="pt-1">
      <Tick
        checked={breakUp !== null}
        onChange={(on) =>
          edits.term(number, {
            break_up: on
              ? { amount: inLengths ? 0.05 * diagonal : 0.2, pattern: sized(noise, diagonal) }
              : null,
          })
        }
      >
        Break up the edge
      </Tick>
      {breakUp && (
        <>
          <Row label="Amount" hint="The furthest the signal is moved either way.">
            <NumberField
              label={`Term ${number + 1}: break-up amount`}
              unit={inLengths ? "u" : undefined}
              value={breakUp.amount}
              min={0}
              max={inLengths ? diagonal * 2 : 2}
              step={step}
              digits={digits}
              onChange={(amount) => edits.term(number, { break_up: { ...breakUp, amount } })}
            />
          </Row>
          <PatternRows
            choices={choices}
            pattern={breakUp.pattern}
            picture={(file) => <MaskPictureRow mask={mask} number={number} file={file} />}
            onChange={(pattern) => edits.term(number, { break_up: { ...breakUp, pattern } })}
          />
        </>
      )}
    </div>
  );
}
