// A name, changed when the field is left or Enter is pressed.
import { useState } from "react";

export function NameField(props: { label: string; name: string; onChange: (name: string) => void }) {
  const { label, name, onChange } = props;
  const [typed, setTyped] = useState(name);
  const finish = () => {
    const wanted = typed.trim();
    if (wanted === name || wanted === "") setTyped(name);
    else onChange(wanted);
  };
  return (
    <input
      aria-label={label}
      value={typed}
      maxLength={60}
      onChange={(e) => setTyped(e.target.value)}
      onBlur={finish}
      onKeyDown={(e) => {
        e.stopPropagation();
        if (e.key === "Enter") e.currentTarget.blur();
        if (e.key === "Escape") setTyped(name);
      }}
      className="h-7 min-w-0 grow rounded bg-transparent font-semibold text-base hover:bg-sunk focus:bg-sunk focus:px-1.5"
    />
  );
}
