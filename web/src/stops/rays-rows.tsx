// How many rays each texel of a map gets.
import type { Rays } from "../api/types";
import { Choice } from "../ui/choice";
import { NumberField } from "../ui/number-field";
import { Row, Segment } from "../ui/parts";

const RAYS = ["4", "8", "16", "32", "64", "128", "256", "512"] as const;
/** What an error can still be met with: its first look is at 16. */
const MOST_RAYS = RAYS.slice(3);

export function RaysRows({ value, onChange }: { value: Rays; onChange: (rays: Rays) => void }) {
  const fixed = typeof value === "number";
  return (
    <>
      <Row
        label="Rays per texel"
        hint={
          fixed
            ? `The same for all. ${amountWords(value)} Shared among the texel's samples.`
            : "Each texel gets rays until its noise is below the error: few in the open, many at shadow edges."
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
          value={String(value) as (typeof RAYS)[number]}
          options={RAYS.map((r) => [r, r] as const)}
          onChange={(v) => onChange(Number(v))}
        />
      ) : (
        <>
          <Row
            label="Error"
            hint="Standard error of a texel, of full range 1. 0.01 is two to three steps of an 8-bit file."
          >
            <NumberField
              label="Error"
              value={value.error}
              min={0.001}
              max={0.2}
              step={0.001}
              digits={3}
              onChange={(error) => onChange({ ...value, error })}
            />
          </Row>
          <Choice
            label="At most"
            hint="No texel gets more, even if its error is not met."
            value={String(value.most) as (typeof RAYS)[number]}
            options={MOST_RAYS.map((r) => [r, r] as const)}
            onChange={(v) => onChange({ ...value, most: Number(v) })}
          />
        </>
      )}
    </>
  );
}

function amountWords(rays: number): string {
  if (rays < 64) return "Few: quick, a little grain.";
  return rays > 128 ? "Many: slow, no grain." : "Clean.";
}
