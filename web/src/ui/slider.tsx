// A slider, for a value that is found by looking.
import { Slider as Radix } from "radix-ui";

export function Slider(props: {
  label: string;
  value: number;
  min: number;
  max: number;
  step: number;
  /** The value as it is read out, where the number alone says little. */
  text?: string;
  onChange: (value: number) => void;
}) {
  const { label, value, min, max, step, text, onChange } = props;
  return (
    <Radix.Root
      className="relative flex h-6 min-w-0 grow cursor-pointer touch-none items-center"
      value={[value]}
      min={min}
      max={max}
      step={step}
      onValueChange={([next]) => next !== undefined && onChange(next)}
    >
      <Radix.Track className="relative h-1.5 grow rounded bg-sunk ring-1 ring-line ring-inset">
        <Radix.Range className="absolute h-full rounded bg-ink-3" />
      </Radix.Track>
      <Radix.Thumb
        aria-label={label}
        aria-valuetext={text}
        className="block h-4 w-2.5 rounded-[3px] border border-ink bg-sheet shadow-[0_1px_2px_#0004] hover:bg-sunk"
      />
    </Radix.Root>
  );
}
