// What every brush has beside its size: how strongly it paints, and the axis it is mirrored across.
import type { Axis } from "../api/types";
import { NumberField } from "../ui/number-field";
import { Row, Segment } from "../ui/parts";

export function BrushStrength({ value, onChange }: { value: number; onChange: (value: number) => void }) {
  return (
    <Row label="Strength">
      <NumberField
        label="Brush strength"
        unit="%"
        value={value * 100}
        min={1}
        max={100}
        step={1}
        onChange={(v) => onChange(v / 100)}
      />
    </Row>
  );
}

export function BrushMirror(props: { value: Axis | null; onChange: (value: Axis | null) => void }) {
  return (
    <Row label="Mirrored" hint={props.value ? "Across the middle of the low-poly." : undefined}>
      <Segment<Axis | "no">
        label="Mirror the brush"
        options={[
          ["no", "No"],
          ["x", "X"],
          ["y", "Y"],
          ["z", "Z"],
        ]}
        value={props.value ?? "no"}
        onChange={(v) => props.onChange(v === "no" ? null : v)}
      />
    </Row>
  );
}
