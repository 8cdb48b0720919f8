// The displacement map at work: the low-poly drawn displaced, and how far from the sculpt it is after so many subdivisions.
import { useQuery } from "@tanstack/react-query";
import { api } from "../../../api/client";
import { useShownRun } from "../../../api/queries";
import { show, useView } from "../../../stages/view";
import { Failed } from "../../../ui/failed";
import { figure, HeatScale } from "../../../ui/heat-scale";
import { count, Section } from "../../../ui/parts";
import { SliderRow } from "../../../ui/slider-row";
import { Tick } from "../../../ui/tick";

/** Subdivisions that are drawn at first. */
const FIRST = 3;

/** A run with a displacement map. */
export function useDisplacing() {
  const run = useShownRun();
  const map = run?.report?.maps.displacement;
  return run && map && !map.error ? run : null;
}

export function useSubdivisions() {
  const run = useDisplacing();
  const wanted = useView((s) => s.displaced !== null);
  return useQuery({
    queryKey: ["subdivisions", run?.id],
    queryFn: () => api.subdivisions(run?.id ?? 0),
    enabled: run !== null && wanted,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });
}

export function DisplacedSection() {
  const run = useDisplacing();
  const shown = useView((s) => s.displaced);
  const asked = useSubdivisions();
  if (!run) return null;
  const levels = asked.data?.levels ?? [];
  const measured = levels.flatMap((one) => (one.off ? [{ ...one, off: one.off }] : []));
  const most = levels.findLast((one) => one.drawn)?.level ?? FIRST;
  const change = (by: Partial<NonNullable<typeof shown>>) =>
    shown && show({ displaced: { ...shown, ...by } });
  const first = { level: Math.min(FIRST, most), height: 1, colors: true, most: null };
  const within = measured.find((one) => one.level === shown?.level)?.off.p99 ?? 0;
  return (
    <Section title="Displaced low-poly">
      <Tick checked={shown !== null} onChange={(on) => show({ displaced: on ? first : null })}>
        Draw the low-poly displaced
      </Tick>
      {!shown && (
        <p className="text-xs text-ink-3">
          Subdivided and moved by the displacement map, as a renderer does it, and measured against the
          sculpt.
        </p>
      )}
      {shown && (
        <>
          <SliderRow
            label="Subdivisions"
            min={0}
            max={most}
            step={1}
            value={shown.level}
            shown={`${shown.level} of ${most}`}
            onChange={(level) => change({ level })}
          />
          <SliderRow
            label="Height"
            hint="1 is what the map says. Colours are shown at 1 only."
            min={0}
            max={3}
            step={0.05}
            value={shown.height}
            text={`${shown.height.toFixed(2)} times`}
            shown={`${shown.height.toFixed(2)}x`}
            onChange={(height) => change({ height })}
          />
          {asked.isPending && <p className="text-ink-3">Measuring against the sculpt…</p>}
          <Failed of={asked} />
          {measured.length > 0 && (
            <>
              <Tick checked={shown.colors} onChange={(colors) => change({ colors })}>
                Colour by distance to the sculpt
              </Tick>
              {shown.colors && (
                <HeatScale
                  unit="units"
                  most={shown.most ?? within}
                  max={measured[0]?.off.max ?? 0}
                  onChange={(most) => change({ most })}
                />
              )}
              <table className="mt-1 w-full [&_thead]:text-ink-3">
                <caption className="sr-only">
                  Distance to the sculpt after subdivisions, in scene units
                </caption>
                <thead>
                  <tr>
                    <th scope="col" className="text-left font-normal">
                      Subdivided
                    </th>
                    <th scope="col" className="text-right font-normal">
                      triangles
                    </th>
                    <th scope="col" className="text-right font-normal">
                      mean
                    </th>
                    <th scope="col" className="text-right font-normal">
                      99 % within
                    </th>
                  </tr>
                </thead>
                <tbody>
                  {measured.map((one) => (
                    <tr
                      key={one.level}
                      data-subdivided={one.level}
                      className={one.level === shown.level ? "bg-sunk" : ""}
                    >
                      <th scope="row" className="text-left font-normal">
                        {one.level === 0 ? "not at all" : one.level === 1 ? "once" : `${one.level} times`}
                      </th>
                      <td className="num text-right text-ink-3">{count(one.triangles)}</td>
                      <td className="num text-right">{figure(one.off.mean)}</td>
                      <td className="num text-right">{figure(one.off.p99)}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
              <p className="text-xs text-ink-3">
                Distance to the sculpt in scene units, over the whole surface.
                {asked.data?.finishes && " What finishes add to the sculpt is counted in."}
              </p>
            </>
          )}
          {asked.data && measured.length === 0 && (
            <p className="text-xs text-ink-3">
              Not measured: {asked.data.unmeasured ?? "no ray meets the sculpt"}.
            </p>
          )}
        </>
      )}
    </Section>
  );
}
