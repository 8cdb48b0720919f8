// A handle of a range, dragged along what the range is drawn on. Shift is fine.
import { type KeyboardEvent, type PointerEvent, useRef } from "react";

export function RangeHandle(props: {
  label: string;
  /** Share of the width. */
  at: number;
  /** A bar, where others are diamonds. */
  inner: boolean;
  /** Pixels below the top of what it lies on. */
  top: number;
  value: number;
  low: number;
  high: number;
  onChange: (value: number) => void;
}) {
  const { label, at, inner, top, value, low, high, onChange } = props;
  const held = useRef<{ x: number; from: number; wide: number } | null>(null);
  const span = high - low || 1;
  const inView = Math.min(high, Math.max(low, value));
  const down = (e: PointerEvent<HTMLElement>) => {
    e.preventDefault();
    e.currentTarget.focus();
    e.currentTarget.setPointerCapture(e.pointerId);
    held.current = { x: e.clientX, from: inView, wide: e.currentTarget.parentElement?.clientWidth || 1 };
  };
  const move = (e: PointerEvent) => {
    const h = held.current;
    if (h) onChange(h.from + ((e.clientX - h.x) / h.wide) * span * (e.shiftKey ? 0.1 : 1));
  };
  const key = (e: KeyboardEvent) => {
    const ways: Record<string, number> = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1 };
    const way = ways[e.key];
    if (e.key === "Home") onChange(low);
    else if (e.key === "End") onChange(high);
    else if (way) onChange(inView + (way * span * (e.shiftKey ? 0.1 : e.ctrlKey ? 10 : 1)) / 200);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuemin={low}
      aria-valuemax={high}
      aria-valuenow={value}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={() => {
        held.current = null;
      }}
      onKeyDown={key}
      style={{ left: `${at * 100}%`, top }}
      className="group absolute grid h-4 w-4 -translate-x-1/2 cursor-ew-resize touch-none place-items-center"
    >
      <span
        className={`block border border-ink shadow-[0_1px_2px_#0004] group-hover:bg-sunk ${
          inner ? "h-3.5 w-2 rounded-[2px] bg-sheet" : "size-2.5 rotate-45 bg-sheet"
        }`}
      />
    </span>
  );
}
