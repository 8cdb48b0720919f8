// How a signal lies over the surface, by area, with the four ends of a soft range as handles on it.
import type { TermView } from "../../api/types";
import { RangeHandle } from "../../ui/range-handle";
import { signed } from "./probe";

const WIDE = 296;
const HIGH = 58;

export type Ends = [number, number, number, number];

const NAMES = ["0 below", "1 from", "1 up to", "0 above"] as const;

interface Props {
  label: string;
  data: NonNullable<TermView["histogram"]>;
  ends: Ends;
  /** What the ends of the scale mean. */
  meanings: readonly string[];
  /** The value under the pointer. */
  pointed: number | null;
  onChange: (ends: Ends) => void;
}

export function Histogram({ label, data, ends, meanings, pointed, onChange }: Props) {
  const { low, high } = data.range;
  const span = high - low || 1;
  const x = (value: number) => Math.min(WIDE, Math.max(0, ((value - low) / span) * WIDE));
  const most = Math.max(...data.bins, 1e-9);
  const bars = data.bins.map((bin, i) => {
    const h = Math.sqrt(bin / most) * (HIGH - 12);
    const [a, b] = [(i / data.bins.length) * WIDE, ((i + 1) / data.bins.length) * WIDE];
    return `M${a} ${HIGH}V${HIGH - h}H${b}V${HIGH}Z`;
  });
  const [a, b, c, d] = ends.map(x) as unknown as Ends;
  const shape = `M0 ${HIGH}L${a} ${HIGH}L${b} 4L${c} 4L${d} ${HIGH}L${WIDE} ${HIGH}`;
  const put = (at: number, value: number) => {
    const next = [...ends] as Ends;
    // An end pushes none of the others: it stops at its neighbours.
    const [least, limit] = [
      next[at - 1] ?? Number.NEGATIVE_INFINITY,
      next[at + 1] ?? Number.POSITIVE_INFINITY,
    ];
    next[at] = Number(Math.min(limit, Math.max(least, value)).toPrecision(4));
    onChange(next);
  };
  const clip = `range-${label.replaceAll(/\W/g, "-")}`;
  return (
    <div className="pt-1">
      <div className="relative" style={{ height: HIGH + 10 }}>
        <svg
          viewBox={`0 0 ${WIDE} ${HIGH}`}
          preserveAspectRatio="none"
          className="absolute inset-x-0 top-0 w-full overflow-visible"
          style={{ height: HIGH }}
          role="img"
          aria-label={`Distribution of ${label} over the surface`}
        >
          <clipPath id={clip}>
            <path d={`${shape}Z`} />
          </clipPath>
          <path d={bars.join("")} className="fill-ink-3 opacity-60" />
          <path d={bars.join("")} className="fill-ember" clipPath={`url(#${clip})`} />
          <path
            d={shape}
            className="fill-none stroke-ink"
            strokeWidth="1.2"
            vectorEffect="non-scaling-stroke"
          />
          <path d={`M0 ${HIGH}H${WIDE}`} className="stroke-line" vectorEffect="non-scaling-stroke" />
          {pointed !== null && (
            <path
              d={`M${x(pointed)} 0V${HIGH}`}
              className="stroke-ink"
              strokeDasharray="2 2"
              strokeWidth="1.2"
              vectorEffect="non-scaling-stroke"
            />
          )}
        </svg>
        {NAMES.map((name, i) => (
          <RangeHandle
            key={name}
            label={`${label}: ${name}`}
            at={x(ends[i] ?? 0) / WIDE}
            inner={i === 1 || i === 2}
            top={i === 1 || i === 2 ? -4 : HIGH - 6}
            value={ends[i] ?? 0}
            low={low}
            high={high}
            onChange={(value) => put(i, value)}
          />
        ))}
      </div>
      <div className="num flex justify-between text-xs text-ink-3">
        <span>
          {meanings[0]} {signed(low)}
        </span>
        {pointed !== null && <span className="text-ink">pointer {signed(pointed)}</span>}
        <span>
          {signed(high)} {meanings[1]}
        </span>
      </div>
    </div>
  );
}
