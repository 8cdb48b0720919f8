// The controls of a pattern, built from its row in the program: a new pattern needs nothing here.
import type { Control, Mask, MaskChoices, PatternSettings, Space } from "../../api/types";
import { Fold } from "../../ui/fold";
import { NumberField } from "../../ui/number-field";
import { Row, Segment } from "../../ui/parts";
import { Select } from "../../ui/select";
import { Tick } from "../../ui/tick";
import { ControlRow } from "./control-row";
import { fine, useDiagonal } from "./edit";
import { MaskPictureRow } from "./picture-row";
import { sized } from "./where-section";

type Fields = Record<string, unknown>;

interface Props {
  mask: Mask;
  number: number;
  choices: MaskChoices;
  pattern: PatternSettings;
  /** A pattern within a pattern shows its own controls alone. */
  inner?: boolean;
  onChange: (pattern: PatternSettings) => void;
}

const SPACES: readonly (readonly [Space, string])[] = [
  ["object", "Object"],
  ["uv", "UVs"],
  ["part", "Part"],
];

export function PatternRows(props: Props) {
  const { mask, number, choices, pattern, inner, onChange } = props;
  const diagonal = useDiagonal();
  const line = choices.patterns.find((p) => p.info.id === pattern.kind);
  const put = (change: Fields) => onChange({ ...pattern, ...change } as PatternSettings);
  const warp = pattern.warp ?? null;
  const noise = choices.patterns[0]?.fresh;
  const length = fine(pattern.space === "uv" ? 1 : diagonal);
  const row = (control: Control) =>
    control.input.kind === "picture" ? (
      <MaskPictureRow
        key={control.setting}
        mask={mask}
        number={number}
        file={"picture" in pattern ? pattern.picture?.file : undefined}
      />
    ) : (
      <ControlRow
        key={control.setting}
        control={control}
        value={(pattern as unknown as Fields)[control.setting]}
        onChange={(value) => put({ [control.setting]: value })}
        inUvs={pattern.space === "uv"}
      />
    );
  return (
    <>
      <Row label="Pattern" hint={line?.info.explains}>
        <Select
          label="Pattern"
          options={choices.patterns.map((p) => [p.info.id, p.info.label] as const)}
          value={pattern.kind}
          onChange={(id) => {
            const fresh = choices.patterns.find((p) => p.info.id === id)?.fresh;
            if (fresh) onChange(sized(fresh, diagonal));
          }}
        />
      </Row>
      {line?.info.controls.slice(0, 1).map(row)}
      <Fold title="More of the pattern">
        {line?.info.controls.slice(1).map(row)}
        {!inner && (
          <>
            <Row label="Laid out" hint={HINTS[pattern.space ?? "object"]}>
              <Segment
                label="Where the pattern is laid out"
                options={SPACES}
                value={pattern.space ?? "object"}
                onChange={(space) => put({ space })}
              />
            </Row>
            <Row label="Seed">
              <NumberField
                label="Seed"
                value={pattern.seed ?? 0}
                min={0}
                max={9999}
                step={1}
                onChange={(seed) => put({ seed })}
              />
            </Row>
            <Tick checked={pattern.invert ?? false} onChange={(invert) => put({ invert })}>
              Inverted
            </Tick>
            {noise && (
              <Tick
                checked={warp !== null}
                onChange={(on) =>
                  put({ warp: on ? { amount: 0.02 * diagonal, pattern: sized(noise, diagonal) } : null })
                }
              >
                Warped by noise
              </Tick>
            )}
            {warp && (
              <Row label="Warp" hint="The furthest a place is moved along each axis.">
                <NumberField
                  label="Warp amount"
                  unit="u"
                  value={warp.amount}
                  min={0}
                  max={diagonal}
                  step={length.step / 5}
                  digits={length.digits}
                  onChange={(amount) => put({ warp: { ...warp, amount } })}
                />
              </Row>
            )}
            {warp && (
              <PatternRows
                {...props}
                inner
                pattern={warp.pattern}
                onChange={(pattern) => put({ warp: { ...warp, pattern } })}
              />
            )}
          </>
        )}
      </Fold>
    </>
  );
}

const HINTS: Record<Space, string> = {
  object: "In space: nothing shows at UV seams.",
  uv: "Over the UV square, closed at its edges. Sizes are shares of its side.",
  part: "From the middle of each low-poly part: it moves with the part.",
};
