// How the values of the map on screen are spread over its islands, with the ends of what is shown from black to white as handles on it; of
// colours, how bright they are shown.
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../../../api/client";
import { type ShownRun, useMapLabels } from "../../../api/queries";
import type { Distribution } from "../../../api/types";
import { type MapLook, PLAIN_LOOK } from "../../../stages/looks";
import { show, useView } from "../../../stages/view";
import { Failed } from "../../../ui/failed";
import { NumberField } from "../../../ui/number-field";
import { RangeHandle } from "../../../ui/range-handle";
import { SliderRow } from "../../../ui/slider-row";

const WIDE = 296;
const HIGH = 58;
/** Lines of the channels: of one its own, of three red, green and blue with a dash each. */
const LINES = [
  { stroke: "oklch(0.55 0.17 27)", dash: undefined },
  { stroke: "oklch(0.55 0.13 145)", dash: "5 2" },
  { stroke: "oklch(0.52 0.14 255)", dash: "2 2" },
] as const;
const NAMES = { direction: ["X", "Y", "Z"], color: ["Red", "Green", "Blue"] } as const;

/** Milliseconds that a hand rests before the pictures follow: each place that it passes would be another one. */
const RESTS = 120;

/** How a map is looked at, ahead of its pictures; and a way to change it. */
function useLook(map: string | undefined): [MapLook, (change: Partial<MapLook>) => void] {
  const kept = useView((s) => (map ? s.looks[map] : undefined)) ?? PLAIN_LOOK;
  const [ahead, setAhead] = useState<{ map: string; look: MapLook } | null>(null);
  useEffect(() => {
    if (!ahead) return;
    const rest = setTimeout(() => {
      show({ looks: { ...useView.getState().looks, [ahead.map]: ahead.look } });
      setAhead(null);
    }, RESTS);
    return () => clearTimeout(rest);
  }, [ahead]);
  const look = ahead && ahead.map === map ? ahead.look : kept;
  return [look, (change) => map && setAhead({ map, look: { ...look, ...change } })];
}

export function Range({ run }: { run: ShownRun }) {
  const wanted = useView((s) => s.map);
  const sheet = useView((s) => s.sheet);
  const label = useMapLabels();
  const made = Object.entries(run.report?.maps ?? {}).filter(([, told]) => !told.error);
  const map = made.some(([key]) => key === wanted) ? wanted : made[0]?.[0];
  const [look, put] = useLook(map);
  const asked = useQuery({
    queryKey: ["distribution", run.id, map, sheet],
    queryFn: () => api.distribution(run.id, map ?? "", sheet),
    enabled: map !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });
  if (!map) return null;
  const reads = run.report?.maps[map]?.reads?.as;
  const told = asked.data;
  const ranged = reads === "number" || reads === "height";
  return (
    <>
      <div className="flex items-baseline justify-between">
        <span className="font-[560]">{label(map)}</span>
        {told && <span className="text-xs text-ink-3">{UNITS[told.unit] ?? told.unit}</span>}
      </div>
      {asked.isPending && <p className="grid h-[58px] place-items-center text-ink-3">Counting texels…</p>}
      <Failed of={asked} />
      {told && (
        <Spread
          told={told}
          names={reads === "direction" ? NAMES.direction : reads === "color" ? NAMES.color : ["Value"]}
          range={ranged ? (look.range ?? [told.low, told.high]) : null}
          onChange={(range) => put({ range })}
        />
      )}
      {told && ranged && <Ends told={told} look={look} onChange={(range) => put({ range })} />}
      {reads === "color" && (
        <SliderRow
          label="Exposure"
          min={-4}
          max={4}
          step={0.25}
          value={look.stops}
          text={`${look.stops} stops`}
          shown={`${look.stops.toFixed(2)} stops`}
          onChange={(stops) => put({ stops })}
        />
      )}
    </>
  );
}

const UNITS: Record<string, string> = {
  "of 255": "steps of 255",
  "1/units": "per unit",
  units: "scene units",
  share: "share, 0 to 1",
};

/** Digits after the point that tell the values of a range apart. */
const digitsOf = ({ low, high }: { low: number; high: number }) =>
  Math.max(0, Math.min(6, 3 - Math.floor(Math.log10(Math.max(1e-6, high - low)))));

/** A value with so many; nothing that rounds to 0 has a sign. */
const valueWords = (value: number, range: { low: number; high: number }) =>
  value.toFixed(digitsOf(range)).replace(/^-(0\.?0*)$/, "$1");

function Spread(props: {
  told: Distribution;
  names: readonly string[];
  range: readonly [number, number] | null;
  onChange: (range: [number, number]) => void;
}) {
  const { range, names, onChange } = props;
  const { low, high, channels, texels } = props.told;
  const span = high - low || 1;
  const x = (value: number) => Math.min(WIDE, Math.max(0, ((value - low) / span) * WIDE));
  const bins = channels[0]?.bins.length ?? 1;
  // The ends often hold most of it, and would press all the rest flat: heights go by the square root.
  const most = Math.max(1, ...channels.flatMap((channel) => channel.bins));
  const at = (bin: number) => HIGH - Math.sqrt(bin / most) * (HIGH - 6);
  const lines = channels.map(
    ({ bins: all }) =>
      `M0 ${HIGH}${all.map((bin, i) => `L${(i / bins) * WIDE} ${at(bin)}H${((i + 1) / bins) * WIDE}`).join("")}V${HIGH}Z`,
  );
  const put = (i: 0 | 1, value: number) => {
    if (!range) return;
    const next: [number, number] = [range[0], range[1]];
    const least = span / 1000;
    next[i] = i === 0 ? Math.min(value, next[1] - least) : Math.max(value, next[0] + least);
    onChange(next);
  };
  const words = channels.map(
    (channel, i) =>
      `${names[i] ?? "Value"}: mean ${valueWords(channel.mean, props.told)}, ${valueWords(channel.least, props.told)} to ${valueWords(channel.most, props.told)}`,
  );
  return (
    <div className="pt-1">
      <div className="relative" style={{ height: HIGH + 4 }}>
        <svg
          viewBox={`0 0 ${WIDE} ${HIGH}`}
          preserveAspectRatio="none"
          className="absolute inset-x-0 top-0 w-full overflow-visible"
          style={{ height: HIGH }}
          role="img"
          aria-label={`Distribution over ${texels} texels. ${words.join(". ")}`}
        >
          {range && (
            <path
              d={`M${x(range[0])} 0H${x(range[1])}V${HIGH}H${x(range[0])}Z`}
              className="fill-ember opacity-15"
            />
          )}
          {channels.length === 1 ? (
            <path d={lines[0]} className="fill-ink-3" />
          ) : (
            lines.map((line, i) => (
              <path
                key={names[i]}
                d={line}
                fill="none"
                stroke={LINES[i]?.stroke}
                strokeDasharray={LINES[i]?.dash}
                strokeWidth="1.4"
                vectorEffect="non-scaling-stroke"
              />
            ))
          )}
          <path d={`M0 ${HIGH}H${WIDE}`} className="stroke-line" vectorEffect="non-scaling-stroke" />
        </svg>
        {range &&
          ([0, 1] as const).map((i) => (
            <RangeHandle
              key={i}
              label={i === 0 ? "Shown as black" : "Shown as white"}
              at={x(range[i]) / WIDE}
              inner
              top={HIGH - 8}
              value={range[i]}
              low={low}
              high={high}
              onChange={(value) => put(i, value)}
            />
          ))}
      </div>
      <div className="num mt-1 flex justify-between text-xs text-ink-3">
        <span>{valueWords(low, props.told)}</span>
        <span>{valueWords(high, props.told)}</span>
      </div>
      <ul className="pb-1 text-xs text-ink-2">
        {channels.map((channel, i) => (
          <li key={names[i]} className="flex items-center gap-1.5">
            {channels.length > 1 && (
              <svg aria-hidden viewBox="0 0 14 4" className="h-1 w-3.5">
                <path
                  d="M0 2H14"
                  stroke={LINES[i]?.stroke}
                  strokeDasharray={LINES[i]?.dash}
                  strokeWidth="2"
                />
              </svg>
            )}
            <span>
              {channels.length > 1 ? `${names[i]}: mean ` : "Mean "}
              <span className="num">{valueWords(channel.mean, props.told)}</span>, from{" "}
              <span className="num">{valueWords(channel.least, props.told)}</span> to{" "}
              <span className="num">{valueWords(channel.most, props.told)}</span>
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

/** What is black and what is white, typed. */
function Ends(props: {
  told: Distribution;
  look: MapLook;
  onChange: (range: [number, number] | null) => void;
}) {
  const { told: of, look, onChange } = props;
  const [black, white] = look.range ?? [of.low, of.high];
  const step = (of.high - of.low) / 400 || 0.01;
  const digits = digitsOf(of);
  const all = of.channels.length > 0;
  const [least, most] = all
    ? [Math.min(...of.channels.map((c) => c.least)), Math.max(...of.channels.map((c) => c.most))]
    : [of.low, of.high];
  return (
    <div className="grid grid-cols-[auto_1fr_1fr_auto] items-center justify-items-center gap-x-1">
      <span className="justify-self-start text-xs text-ink-3">Black</span>
      <span className="col-start-4 justify-self-start text-xs text-ink-3">White</span>
      <NumberField
        label="Black"
        value={black}
        min={Math.min(of.low, black)}
        max={white - step / 10}
        step={step}
        digits={digits}
        onChange={(value) => onChange([value, white])}
      />
      <button
        type="button"
        disabled={least >= most}
        onClick={() => onChange([least, most])}
        className="h-6 rounded px-2 text-ink-2 hover:bg-sunk hover:text-ink"
        title="From the least to the most that the islands hold"
      >
        Fit
      </button>
      <button
        type="button"
        disabled={look.range === null}
        onClick={() => onChange(null)}
        className="h-6 rounded px-2 text-ink-2 hover:bg-sunk hover:text-ink disabled:text-ink-3"
      >
        Whole
      </button>
      <NumberField
        label="White"
        value={white}
        min={black + step / 10}
        max={Math.max(of.high, white)}
        step={step}
        digits={digits}
        onChange={(value) => onChange([black, value])}
      />
    </div>
  );
}
