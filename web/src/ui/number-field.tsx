// A number that is dragged sideways to change it, or typed, with arithmetic. Shift is fine, Ctrl is coarse.
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { flushSync } from "react-dom";
import { evaluate } from "./arithmetic";

interface Props {
  label: string;
  value: number;
  unit?: string;
  min: number;
  max: number;
  /** Change for each pixel dragged and each arrow key. */
  step: number;
  digits?: number;
  onChange: (value: number) => void;
}

export function NumberField({ label, value, unit, min, max, step, digits = 0, onChange }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  /** What stood here when the field was entered: a number that comes meanwhile does not slip in among what is typed. */
  const [entered, setEntered] = useState<string | null>(null);
  const drag = useRef<{ x: number; from: number; moved: boolean } | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const shown = typed ?? entered ?? value.toFixed(digits);
  const wrong = typed !== null && evaluate(typed) === null;

  const put = (next: number) => {
    const rounded = Number(Math.min(max, Math.max(min, next)).toFixed(Math.max(digits, 0)));
    if (rounded !== value) onChange(rounded);
  };
  const finish = () => {
    const result = typed === null ? null : evaluate(typed);
    if (result !== null) put(result);
    setTyped(null);
    setEntered(null);
  };
  const fineness = (e: { shiftKey: boolean; ctrlKey: boolean }) => (e.shiftKey ? 0.1 : e.ctrlKey ? 10 : 1);

  const down = (e: PointerEvent) => {
    if (document.activeElement === input.current || e.button !== 0) return;
    e.preventDefault();
    drag.current = { x: e.clientX, from: value, moved: false };
    e.currentTarget.setPointerCapture(e.pointerId);
  };
  const move = (e: PointerEvent) => {
    const d = drag.current;
    if (!d) return;
    const by = e.clientX - d.x;
    if (Math.abs(by) < 3 && !d.moved) return;
    d.moved = true;
    put(d.from + by * step * fineness(e));
  };
  const up = () => {
    const d = drag.current;
    drag.current = null;
    if (d && !d.moved) {
      input.current?.focus();
      input.current?.select();
    }
  };
  const key = (e: KeyboardEvent) => {
    e.stopPropagation();
    // Leaving the field keeps what is still typed in it: what was kept or let go of is so before that.
    if (e.key === "Enter" || e.key === "Escape") {
      flushSync(() => (e.key === "Enter" ? finish() : setTyped(null)));
      input.current?.blur();
    } else if (e.key === "ArrowUp" || e.key === "ArrowDown") {
      e.preventDefault();
      // A key always does something, however fine: the last digit changes by one at least.
      const by = Math.max(step * fineness(e), 10 ** -digits);
      put(value + (e.key === "ArrowUp" ? by : -by));
      setTyped(null);
      setEntered(null);
    }
  };
  return (
    <span
      className={`flex h-6 w-[92px] cursor-ew-resize items-center rounded bg-sunk px-1.5 ring-1 ring-transparent hover:ring-line focus-within:cursor-text focus-within:ring-ember ${wrong ? "ring-madder!" : ""}`}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      title="Drag sideways, or type (arithmetic works). Shift: fine, Ctrl: coarse"
    >
      <input
        ref={input}
        aria-label={label}
        aria-invalid={wrong}
        inputMode="decimal"
        className="num w-full min-w-0 cursor-[inherit] bg-transparent text-right outline-none"
        value={shown}
        onFocus={() => setEntered(value.toFixed(digits))}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={finish}
        onKeyDown={key}
      />
      {unit && <span className="num whitespace-nowrap pl-1 text-ink-3">{unit}</span>}
    </span>
  );
}
