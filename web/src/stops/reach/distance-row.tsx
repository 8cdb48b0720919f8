// A reach as a number with a slider: in scene units, beside its share of the asset; or fitted.
import type { Distance } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { Slider } from "../../ui/slider";
import { stepFor } from "../../ui/step";

/** Steps and digits follow the asset's size: a drag of a hand's width spans a useful range on any of them. */
export const fineness = (diagonal: number) => stepFor(diagonal / 2000);

export function DistanceRow(props: {
  label: string;
  /** Whose reach it is, for those who hear the page. */
  of: string;
  hint?: string;
  value: Distance;
  /** The longest that was fitted, which a first drag begins from; 0 while it is not known. */
  longest: number;
  diagonal: number;
  onPoint?: (pointed: boolean) => void;
  onChange: (value: Distance) => void;
}) {
  const { label, of, hint, value, longest, diagonal, onPoint, onChange } = props;
  const auto = value === "auto";
  const units = auto ? longest : value;
  const { step, digits } = fineness(diagonal);
  const percent = (100 * units) / diagonal;
  return (
    <div
      role="group"
      aria-label={`${label} of ${of}`}
      className="py-1"
      onPointerEnter={() => onPoint?.(true)}
      onPointerLeave={() => onPoint?.(false)}
      onFocus={() => onPoint?.(true)}
      onBlur={() => onPoint?.(false)}
    >
      <div className="flex items-center gap-2">
        <span className="w-[68px] text-ink-2">{label}</span>
        <Slider
          label={`${label} of ${of}, share of the asset`}
          min={0}
          max={100}
          step={0.5}
          value={Math.min(100, 100 * Math.sqrt(Math.max(0, percent) / 20))}
          text={`${percent.toFixed(2)} % of the asset`}
          onChange={(share) => onChange(Number((diagonal * 0.2 * (share / 100) ** 2).toFixed(digits)))}
        />
        <NumberField
          label={label}
          value={units}
          min={0}
          max={diagonal}
          step={step}
          digits={digits}
          onChange={onChange}
        />
      </div>
      <div className="flex justify-between pl-[76px] text-xs text-ink-3">
        <span>
          {auto && longest === 0
            ? "fitting"
            : `${auto ? "fitted, at most " : ""}${percent.toFixed(2)} % of the asset`}
        </span>
        {!auto && (
          <button
            type="button"
            className="underline underline-offset-2 hover:text-ink"
            onClick={() => onChange("auto")}
          >
            fit
          </button>
        )}
      </div>
      {hint && <p className="mt-0.5 text-xs text-ink-3">{hint}</p>}
    </div>
  );
}
