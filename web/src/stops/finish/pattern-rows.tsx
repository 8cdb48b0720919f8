// The controls of a pattern, built from its row in the program: a new pattern needs nothing here.
import { Fragment, type ReactNode } from "react";
import type { Control, MaskChoices, PatternSettings, Space } from "../../api/types";
import { Fold } from "../../ui/fold";
import { NumberField } from "../../ui/number-field";
import { Row } from "../../ui/parts";
import { Select } from "../../ui/select";
import { Tick } from "../../ui/tick";
import { ControlRow } from "./control-row";
import { fine, useDiagonal } from "./edit";
import { sized } from "./where-section";

type Fields = Record<string, unknown>;

interface Props {
  choices: MaskChoices;
  pattern: PatternSettings;
  /** A pattern within a pattern shows its own controls alone. */
  inner?: boolean;
  /** Where the file of a picture is chosen; without it no pictures are offered. */
  picture?: (file: string | undefined) => ReactNode;
  onChange: (pattern: PatternSettings) => void;
}

export const SPACES: readonly (readonly [Space, string])[] = [
  ["object", "in object space"],
  ["part", "in each part's own space"],
  ["uv", "over the sheet's UVs"],
  ["texture-uv", "over the texture UVs"],
];

export function PatternRows(props: Props) {
  const { choices, pattern, inner, picture, onChange } = props;
  const diagonal = useDiagonal();
  const line = choices.patterns.find((p) => p.info.id === pattern.kind);
  const put = (change: Fields) => onChange({ ...pattern, ...change } as PatternSettings);
  const warp = pattern.warp ?? null;
  const offered = choices.patterns.filter(
    (p) => picture || p.info.id !== "picture" || pattern.kind === "picture",
  );
  const noise = choices.patterns[0]?.fresh;
  const inUvs = pattern.space === "uv" || pattern.space === "texture-uv";
  const length = fine(inUvs ? 1 : diagonal);
  const row = (control: Control) =>
    control.input.kind === "picture" ? (
      <Fragment key={control.setting}>
        {picture?.("picture" in pattern ? pattern.picture?.file : undefined)}
      </Fragment>
    ) : (
      <ControlRow
        key={control.setting}
        control={control}
        value={(pattern as unknown as Fields)[control.setting]}
        onChange={(value) => put({ [control.setting]: value })}
        inUvs={inUvs}
      />
    );
  return (
    <>
      <Row label="Pattern" hint={line?.info.explains}>
        <Select
          label="Pattern"
          options={offered.map((p) => [p.info.id, p.info.label] as const)}
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
              <Select
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
  uv: "Over the UV square of the sheet, closed at its edges. Sizes are shares of its side.",
  "texture-uv":
    "Over the UVs for textures, which are chosen at Meshes; the sheet's where there are no others. Sizes are shares of their square.",
  part: "From the middle of each low-poly part: it moves with the part.",
};
