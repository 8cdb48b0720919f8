// A checkbox with its label, or without one where the label stands elsewhere.
import { Check } from "lucide-react";
import { Checkbox } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  checked: boolean;
  onChange: (checked: boolean) => void;
}

export function Box({ label, checked, onChange }: Props & { label?: string }) {
  return (
    <Checkbox.Root
      aria-label={label}
      checked={checked}
      onCheckedChange={(state) => onChange(state === true)}
      className="grid size-4 shrink-0 place-items-center rounded-[3px] border border-ink-3 bg-sheet hover:border-ink data-[state=checked]:border-ink data-[state=checked]:bg-ink"
    >
      <Checkbox.Indicator>
        <Check className="size-3 text-sheet" strokeWidth={3} />
      </Checkbox.Indicator>
    </Checkbox.Root>
  );
}

export function Tick({ children, ...box }: Props & { children: ReactNode }) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the box inside is the control
    <label className="flex min-h-6 cursor-pointer items-center gap-2">
      <Box {...box} />
      <span className="min-w-0">{children}</span>
    </label>
  );
}
