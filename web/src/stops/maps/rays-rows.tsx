// How many rays each texel of a map gets.
import { useChoices } from "../../api/queries";
import type { Rays } from "../../api/types";
import { Choice } from "../../ui/choice";
import { NumberField } from "../../ui/number-field";
import { Row, Segment } from "../../ui/parts";

const listed = (counts: readonly number[]) => counts.map((n) => [String(n), String(n)] as const);

export function RaysRows({ value, onChange }: { value: Rays; onChange: (rays: Rays) => void }) {
  const fixed = typeof value === "number";
  const choices = useChoices().data;
  return (
    <>
      <Row
        label="Rays per texel"
        hint={
          fixed
            ? `The same for every texel, shared among its samples. ${amountWords(value)}`
            : "Each texel gets rays until its noise is below the error: few in open areas, many at shadow edges."
        }
      >
        <Segment<"fixed" | "error">
          label="Rays per texel"
          options={[
            ["fixed", "Fixed"],
            ["error", "By error"],
          ]}
          value={fixed ? "fixed" : "error"}
          onChange={(how) => {
            if (how === "fixed" && !fixed) onChange(64);
            if (how === "error" && fixed) onChange({ most: Math.max(256, value), error: 0.01 });
          }}
        />
      </Row>
      {fixed ? (
        <Choice
          label="Number"
          value={String(value)}
          options={listed(choices?.rays ?? [value])}
          onChange={(v) => onChange(Number(v))}
        />
      ) : (
        <>
          <Row
            label="Error"
            hint="Standard error per texel; the full range is 1. 0.01 is two to three steps of an 8-bit file."
          >
            <NumberField
              label="Error"
              value={value.error}
              min={choices?.ray_errors[0] ?? value.error}
              max={choices?.ray_errors[1] ?? value.error}
              step={0.001}
              digits={3}
              onChange={(error) => onChange({ ...value, error })}
            />
          </Row>
          <Choice
            label="At most"
            hint="The limit per texel, even if the error is not reached."
            value={String(value.most)}
            options={listed(choices?.most_rays ?? [value.most])}
            onChange={(v) => onChange({ ...value, most: Number(v) })}
          />
        </>
      )}
    </>
  );
}

function amountWords(rays: number): string {
  if (rays < 64) return "Few: quick, with some grain.";
  return rays > 128 ? "Many: slow, no grain." : "Clean.";
}
