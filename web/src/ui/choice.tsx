// One of several, by name.
import { Row } from "./parts";

const SELECT = "h-6 max-w-[150px] rounded bg-sunk px-1.5 outline-none focus:ring-1 focus:ring-ember";

export function Choice<T extends string>(props: {
  label: string;
  hint?: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
}) {
  return (
    <Row label={props.label} hint={props.hint}>
      <select
        aria-label={props.label}
        className={SELECT}
        value={props.value}
        onChange={(e) => props.onChange(e.target.value as T)}
      >
        {props.options.map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
      </select>
    </Row>
  );
}
