// One of several, by name: in a panel, and on a stage.
import { Check, ChevronDown } from "lucide-react";
import { Select as Radix } from "radix-ui";
import { useState } from "react";

interface Props<T extends string> {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  /** Shown while nothing is chosen. */
  placeholder?: string;
  onChange: (value: T) => void;
}

export function Select<T extends string>(props: Props<T> & { className?: string }) {
  const { label, value, options, placeholder, onChange, className = "" } = props;
  const [open, setOpen] = useState(false);
  return (
    <Radix.Root value={value} open={open} onOpenChange={setOpen} onValueChange={(v) => onChange(v as T)}>
      <Radix.Trigger
        aria-label={label}
        className={`flex h-6 min-w-0 items-center justify-between gap-1.5 rounded px-1.5 ${className || "max-w-[160px] bg-sunk hover:ring-1 hover:ring-line"}`}
      >
        <span className="truncate">
          <Radix.Value placeholder={placeholder}>
            {options.find(([option]) => option === value)?.[1]}
          </Radix.Value>
        </span>
        <ChevronDown className="size-3 shrink-0 opacity-70" />
      </Radix.Trigger>
      {/* Choices that nobody looks at are not there: a panel has many, and all of it is drawn anew while a hand is on a setting. */}
      {open && (
        <Radix.Portal>
          <Radix.Content
            position="popper"
            sideOffset={3}
            className="z-50 max-h-[min(60vh,var(--radix-select-content-available-height))] min-w-(--radix-select-trigger-width) rounded border border-line bg-sheet p-1 text-ink shadow-lg"
          >
            <Radix.Viewport>
              {options.map(([option, name]) => (
                <Radix.Item
                  key={option}
                  value={option}
                  className="flex min-h-6 items-center justify-between gap-3 rounded px-2 outline-none data-highlighted:bg-sunk data-[state=checked]:font-semibold"
                >
                  <Radix.ItemText>{name}</Radix.ItemText>
                  <Radix.ItemIndicator>
                    <Check className="size-3" />
                  </Radix.ItemIndicator>
                </Radix.Item>
              ))}
            </Radix.Viewport>
          </Radix.Content>
        </Radix.Portal>
      )}
    </Radix.Root>
  );
}

/** The same on a stage, legible over any picture. */
export function StageSelect<T extends string>(props: Props<T>) {
  return <Select {...props} className="bg-(--stage-tool) font-semibold text-[#f4f4f4] hover:bg-black/60" />;
}
