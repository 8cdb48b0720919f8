// A line of text that is taken as it is typed, and by Escape is what it was when the hand came to it.
import { useRef, useState } from "react";

export function TextField(props: {
  label: string;
  value: string;
  onChange: (value: string) => void;
  className?: string;
}) {
  const { label, value, onChange, className = "" } = props;
  /** What is typed while the hand is on it; null otherwise. */
  const [typed, setTyped] = useState<string | null>(null);
  const before = useRef(value);
  return (
    <input
      aria-label={label}
      value={typed ?? value}
      spellCheck={false}
      maxLength={200}
      onFocus={() => {
        before.current = value;
        setTyped(value);
      }}
      onChange={(e) => {
        setTyped(e.target.value);
        if (e.target.value.trim() !== "") onChange(e.target.value);
      }}
      onBlur={() => setTyped(null)}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") {
          onChange(before.current);
          setTyped(before.current);
        }
      }}
      className={`h-7 min-w-0 rounded px-1.5 ${className}`}
    />
  );
}
