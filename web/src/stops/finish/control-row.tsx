// A setting of a pattern, as its row in the program describes it.
import type { Control } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { Row } from "../../ui/parts";
import { Select } from "../../ui/select";
import { fine, useDiagonal } from "./edit";

export function ControlRow(props: {
  control: Control;
  value: unknown;
  inUvs: boolean;
  onChange: (value: unknown) => void;
}) {
  const { control, value, inUvs, onChange } = props;
  const diagonal = useDiagonal();
  const { input, label, help } = control;
  const whole = inUvs ? 1 : diagonal;
  const length = fine(whole);
  const number = (limits: { min: number; max: number; step: number; digits: number; unit?: string }) => (
    <Row label={label} hint={help}>
      <NumberField label={label} value={Number(value)} {...limits} onChange={onChange} />
    </Row>
  );
  switch (input.kind) {
    case "length":
      return number({
        min: whole * 1e-5,
        max: whole * 10,
        step: (input.to - input.from) * whole * 0.004,
        digits: length.digits + 1,
        unit: inUvs ? "of UV" : "u",
      });
    case "coordinate":
      return number({ min: -1e6, max: 1e6, step: length.step, digits: length.digits, unit: "u" });
    case "number":
      return number({
        min: input.from,
        max: input.to,
        step: (input.to - input.from) / 200,
        digits: input.to - input.from > 20 ? 1 : 2,
        unit: input.unit,
      });
    case "count":
      return number({ min: input.from, max: input.to, step: 0.05, digits: 0 });
    case "choice":
      return (
        <Row label={label} hint={help}>
          <Select
            label={label}
            options={input.options as unknown as readonly (readonly [string, string])[]}
            value={String(value)}
            onChange={onChange}
          />
        </Row>
      );
    case "point":
      return (
        <Row label={label} hint={help}>
          {(value as number[]).map((c, i) => (
            <NumberField
              // biome-ignore lint/suspicious/noArrayIndexKey: coordinates are told apart by their axis
              key={i}
              label={`${label} ${"XYZ"[i]}`}
              value={c}
              min={-1e6}
              max={1e6}
              step={length.step}
              digits={length.digits}
              onChange={(v) => onChange((value as number[]).map((old, k) => (k === i ? v : old)))}
            />
          ))}
        </Row>
      );
    case "picture":
      return null;
  }
}
