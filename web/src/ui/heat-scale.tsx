// What the colours of a difference stand for: dark nothing, and a number for the brightest.
import { NumberField } from "./number-field";

export type Rgb = readonly [number, number, number];

/** Dark for nothing, light for the most. */
export const HEAT: readonly Rgb[] = [
  [24, 24, 26],
  [200, 86, 42],
  [255, 240, 214],
];

export const gradient = (scale: readonly Rgb[]) =>
  `linear-gradient(90deg, ${scale.map((c) => `rgb(${c.join()})`).join()})`;

export function HeatScale(props: {
  unit: string;
  /** What the brightest stands for, and the most that it may. */
  most: number;
  max: number;
  onChange: (most: number) => void;
}) {
  const { unit, most, max, onChange } = props;
  const top = Math.max(max, 1e-6);
  return (
    <div className="mt-1 flex items-center gap-2">
      <span className="num text-ink-3">0</span>
      <span className="h-2.5 flex-1 rounded-[2px]" style={{ background: gradient(HEAT) }} />
      <NumberField
        label="Brightest stands for"
        unit={unit}
        value={most}
        min={0}
        max={top}
        step={top / 200}
        digits={unit === "degrees" ? 2 : 4}
        onChange={onChange}
      />
    </div>
  );
}

/** What the brightest stands for at first: nearly all that is compared is below it. */
export const firstMost = ({ p99, max }: { p99: number; max: number }) => (p99 > 0 ? p99 : max);

/** A difference with as many digits as tell something. */
export const figure = (value: number) =>
  value === 0 ? "0" : Math.abs(value) >= 100 ? value.toFixed(0) : value.toPrecision(2);
