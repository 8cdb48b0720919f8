// A colour, chosen or typed as #rrggbb.
import { useState } from "react";

export function ColorField(props: { label: string; value: string; onChange: (value: string) => void }) {
  const { label, value, onChange } = props;
  const [typed, setTyped] = useState<string | null>(null);
  const wrong = typed !== null && !/^#[0-9a-f]{6}$/i.test(typed);
  const finish = () => {
    if (typed !== null && !wrong) onChange(typed.toLowerCase());
    setTyped(null);
  };
  return (
    <span className="flex items-center gap-1.5">
      <input
        type="color"
        aria-label={label}
        value={value}
        onChange={(e) => onChange(e.target.value)}
        className="h-6 w-8 cursor-pointer rounded border border-line bg-sheet p-0.5"
      />
      <input
        aria-label={`${label} as #rrggbb`}
        aria-invalid={wrong}
        value={typed ?? value}
        maxLength={7}
        spellCheck={false}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={finish}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setTyped(null);
        }}
        className="num h-6 w-[4.6rem] rounded bg-sunk px-1.5 hover:ring-1 hover:ring-line aria-invalid:ring-1 aria-invalid:ring-madder"
      />
    </span>
  );
}
