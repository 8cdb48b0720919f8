// Values along a signal: a bar that shows them, stops that are dragged along it, and the stop in hand in numbers.
import { Plus, X } from "lucide-react";
import { type KeyboardEvent, type PointerEvent, type ReactNode, useRef, useState } from "react";
import { NumberField } from "../../../ui/number-field";
import { IconButton, Row } from "../../../ui/parts";
import { Tick } from "../../../ui/tick";

/** A place along the signal, and what is set there. */
export type Stop<T> = readonly [at: number, value: T];

interface Props<T> {
  label: string;
  stops: readonly Stop<T>[];
  smooth: boolean;
  /** What the signal runs between, at least. */
  range: readonly [number, number];
  /** Decimals of places along the signal, and their unit. */
  digits: number;
  unit?: string;
  /** A value as a CSS colour. */
  paint: (value: T) => string;
  field: (value: T, label: string, onChange: (value: T) => void) => ReactNode;
  onChange: (change: { stops?: Stop<T>[]; smooth?: boolean }) => void;
}

const MOST_STOPS = 64;

/** Stops with one moved, kept between its neighbours so that it stays the same stop. */
export function withMoved<T>(stops: readonly Stop<T>[], number: number, at: number): Stop<T>[] {
  const least = stops[number - 1]?.[0] ?? Number.NEGATIVE_INFINITY;
  const most = stops[number + 1]?.[0] ?? Number.POSITIVE_INFINITY;
  return stops.map((stop, i) => (i === number ? [Math.min(most, Math.max(least, at)), stop[1]] : stop));
}

/** Stops with one more at a place, of the value of the nearest; and its number. */
export function withAdded<T>(stops: readonly Stop<T>[], at: number): [Stop<T>[], number] {
  const number = stops.filter((stop) => stop[0] <= at).length;
  const [before, after] = [stops[number - 1], stops[number]];
  const nearest = !before || (after && after[0] - at < at - before[0]) ? after : before;
  if (!nearest) return [[...stops], 0];
  return [[...stops.slice(0, number), [at, nearest[1]], ...stops.slice(number)], number];
}

export function RampEditor<T extends string | number>(props: Props<T>) {
  const { label, stops, range, digits, unit, paint, onChange } = props;
  const bar = useRef<HTMLDivElement>(null);
  const [chosen, choose] = useState(0);
  const [dragged, drag] = useState(false);
  const number = Math.min(chosen, stops.length - 1);
  const ats = stops.map((stop) => stop[0]);
  const [low, high] = [Math.min(range[0], ...ats), Math.max(range[1], ...ats)];
  const whole = high - low || 1;
  const share = (at: number) => (at - low) / whole;
  const rounded = (at: number) => Number(at.toFixed(digits + 1));
  const place = (e: PointerEvent) => {
    const box = bar.current?.getBoundingClientRect();
    return box
      ? rounded(low + (whole * Math.min(box.width, Math.max(0, e.clientX - box.left))) / box.width)
      : low;
  };
  const add = (at: number) => {
    if (stops.length >= MOST_STOPS) return;
    const [next, added] = withAdded(stops, at);
    choose(added);
    onChange({ stops: next });
  };
  const remove = () => {
    if (stops.length > 1) onChange({ stops: stops.filter((_, i) => i !== number) });
  };
  const key = (e: KeyboardEvent, i: number) => {
    const way = e.key === "ArrowRight" ? 1 : e.key === "ArrowLeft" ? -1 : 0;
    if (way === 0 && e.key !== "Delete" && e.key !== "Backspace") return;
    e.preventDefault();
    e.stopPropagation();
    if (way === 0) return remove();
    const step = whole * (e.shiftKey ? 0.1 : 0.01);
    onChange({ stops: withMoved(stops, i, rounded((stops[i]?.[0] ?? 0) + way * step)) });
  };
  // Between stops the program goes straight in linear light, or eased; the bar shows the straight way.
  const shown = stops.map(([at, value]) => `${paint(value)} ${(100 * share(at)).toFixed(2)}%`);
  const [at, value] = stops[number] ?? [0, stops[0]?.[1] as T];
  return (
    <fieldset aria-label={`Ramp of ${label}`} className="min-w-0 pt-1">
      <div
        ref={bar}
        className="relative mx-1.5 h-6 cursor-copy touch-none rounded-[3px] border border-line"
        style={{
          background:
            shown.length > 1 ? `linear-gradient(in srgb-linear to right, ${shown.join(",")})` : paint(value),
        }}
        title="Click to add a stop"
        onPointerDown={(e) => e.button === 0 && e.target === bar.current && add(place(e))}
        onPointerMove={(e) => dragged && onChange({ stops: withMoved(stops, number, place(e)) })}
        onPointerUp={() => drag(false)}
        onPointerCancel={() => drag(false)}
      >
        {stops.map((stop, i) => (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: stops have no names, only places
            key={i}
            role="slider"
            tabIndex={0}
            aria-label={`Stop ${i + 1} of ${label}`}
            aria-valuemin={low}
            aria-valuemax={high}
            aria-valuenow={stop[0]}
            aria-current={i === number}
            onFocus={() => choose(i)}
            onKeyDown={(e) => key(e, i)}
            onPointerDown={(e) => {
              if (e.button !== 0) return;
              choose(i);
              drag(true);
              bar.current?.setPointerCapture(e.pointerId);
            }}
            className="-ml-1.5 absolute top-3 h-5 w-3 cursor-ew-resize rounded-[3px] border-2 border-sheet ring-1 ring-ink-2 aria-[current=true]:ring-2 aria-[current=true]:ring-ember"
            style={{ left: `${100 * share(stop[0])}%`, background: paint(stop[1]) }}
          />
        ))}
      </div>
      <div className="num flex justify-between px-1.5 pt-2.5 text-ink-3 text-xs">
        <span>{low.toFixed(Math.min(digits, 3))}</span>
        <span>
          {high.toFixed(Math.min(digits, 3))} {unit}
        </span>
      </div>
      <Row label={`Stop ${number + 1} of ${stops.length}`}>
        <NumberField
          label={`Where stop ${number + 1} of ${label} is`}
          value={at}
          unit={unit}
          min={stops[number - 1]?.[0] ?? -1e6}
          max={stops[number + 1]?.[0] ?? 1e6}
          step={whole / 200}
          digits={digits}
          onChange={(to) => onChange({ stops: withMoved(stops, number, to) })}
        />
        <IconButton
          aria-label={`Add a stop to ${label}`}
          onClick={() => add(rounded(between(stops, number, high)))}
        >
          <Plus className="size-3.5" />
        </IconButton>
        <IconButton
          aria-label={`Remove stop ${number + 1} of ${label}`}
          disabled={stops.length < 2}
          onClick={remove}
        >
          <X className="size-3.5" />
        </IconButton>
      </Row>
      <Row label="Value">
        {props.field(value, `Stop ${number + 1} of ${label}: value`, (to) =>
          onChange({ stops: stops.map((stop, i) => (i === number ? [stop[0], to] : stop)) }),
        )}
      </Row>
      <Tick checked={props.smooth} onChange={(smooth) => onChange({ smooth })}>
        Eased between stops
      </Tick>
    </fieldset>
  );
}

/** Halfway from a stop to the next, or to the end after the last. */
function between<T>(stops: readonly Stop<T>[], number: number, end: number): number {
  const at = stops[number]?.[0] ?? 0;
  return (at + (stops[number + 1]?.[0] ?? Math.max(end, at))) / 2;
}
