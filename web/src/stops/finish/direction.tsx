// A direction by name, or by its three numbers.
import { NumberField } from "../../ui/number-field";
import { Row } from "../../ui/parts";
import { Select } from "../../ui/select";

const DIRECTIONS: readonly (readonly [string, string])[] = [
  ["0,1,0", "Up"],
  ["0,-1,0", "Down"],
  ["1,0,0", "+X"],
  ["-1,0,0", "-X"],
  ["0,0,1", "+Z"],
  ["0,0,-1", "-Z"],
];

type Vector = [number, number, number];

export function Direction(props: { direction: Vector; onChange: (direction: Vector) => void }) {
  const { direction, onChange } = props;
  const known = direction.join();
  const listed = DIRECTIONS.some(([d]) => d === known);
  return (
    <>
      <Row label="Direction">
        <Select
          label="Direction"
          options={listed ? DIRECTIONS : [...DIRECTIONS, [known, "Own"] as const]}
          value={known}
          onChange={(v) => onChange(v.split(",").map(Number) as Vector)}
        />
      </Row>
      <Row label="">
        {(["X", "Y", "Z"] as const).map((axis, i) => (
          <NumberField
            key={axis}
            label={`Direction ${axis}`}
            value={direction[i] ?? 0}
            min={-1}
            max={1}
            step={0.01}
            digits={2}
            onChange={(v) => {
              const next = direction.map((c, k) => (k === i ? v : c)) as Vector;
              if (next.some((c) => c !== 0)) onChange(next);
            }}
          />
        ))}
      </Row>
    </>
  );
}
