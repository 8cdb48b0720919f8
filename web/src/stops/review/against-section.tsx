// Another run held against the one that is looked at: shown in its place, in turn with it, or as how far they are apart, in true units.
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../../api/client";
import { hasMaps, useAsset, useMapLabels, useShownRun } from "../../api/queries";
import type { RunsCompared } from "../../api/types";
import { useTwo } from "../../stages/against";
import { type Against, show, useView } from "../../stages/view";
import { ApartHead } from "../../ui/apart-head";
import { Failed } from "../../ui/failed";
import { figure, firstMost, HeatScale } from "../../ui/heat-scale";
import { NumberField } from "../../ui/number-field";
import { Row, Section, Segment } from "../../ui/parts";
import { Select } from "../../ui/select";
import { Tick } from "../../ui/tick";
import { ImportMaps } from "./import/button";
import { traceAt } from "./trace";

const NONE = "none";
type Compared = NonNullable<RunsCompared["maps"][string]>;

const change = (by: Partial<Against>) => {
  const { against } = useView.getState();
  if (against) show({ against: { ...against, ...by } });
};

/** Shows the other of the two runs; for a key. */
export function switchRuns() {
  const { against } = useView.getState();
  if (against) change({ shows: against.shows === "this" ? "other" : "this" });
}

export function AgainstSection() {
  const asset = useAsset().data;
  const run = useShownRun();
  const against = useView((s) => s.against);
  const others = (asset?.runs ?? []).filter((r) => hasMaps(r) && r.id !== run?.id);
  // A run that is gone is held against nothing.
  const gone = against !== null && !asset?.runs.some((r) => r.id === against.run);
  useEffect(() => {
    if (gone) show({ against: null });
  }, [gone]);
  const none = !run || (others.length === 0 && !against);
  if (none && asset?.missing) return null;
  return (
    <Section title="Against another run">
      {!none && (
        <Row label={`Run ${run.number} against`}>
          <Select
            label="Other run"
            value={against ? String(against.run) : NONE}
            options={[
              [NONE, "no other"],
              ...others.map((r) => [String(r.id), `${r.number} ${r.kind}, ${r.size} px`] as const),
            ]}
            onChange={(id) =>
              show({ against: id === NONE ? null : { run: Number(id), shows: "this", most: {} } })
            }
          />
        </Row>
      )}
      {run && against && against.run !== run.id && <Comparison against={against} run={run.id} />}
      <ImportMaps />
    </Section>
  );
}

function Comparison({ against, run }: { against: Against; run: number }) {
  const asked = useQuery({
    queryKey: ["compare", run, against.run],
    queryFn: () => api.compare(run, against.run),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });
  const map = useView((s) => s.map);
  const compared = asked.data;
  useEffect(() => {
    if (!compared) return;
    const most = Object.entries(compared.maps).map(([key, apart]) => [key, firstMost(apart)]);
    change({ most: Object.fromEntries(most) });
  }, [compared]);
  const here = compared?.maps[map];
  return (
    <>
      <Segment
        label="Shown of the two runs"
        wide
        options={[
          ["this", "This"],
          ["other", "Other"],
          ["wipe", "Wipe"],
          ["beside", "Beside"],
          ["difference", "Difference"],
        ]}
        value={against.shows}
        onChange={(shows) => change({ shows })}
      />
      <Flicker />
      {against.shows === "difference" && here && <Scale map={map} apart={here} against={against} />}
      {asked.isPending && <p className="py-1 text-ink-3">Comparing every texel…</p>}
      <Failed of={asked} />
      {compared && <Table compared={compared} />}
    </>
  );
}

/** Shows the two in turn. */
function Flicker() {
  const [on, setOn] = useState(false);
  const [rate, setRate] = useState(2);
  useEffect(() => {
    if (!on) return;
    const turn = setInterval(switchRuns, 1000 / rate);
    return () => clearInterval(turn);
  }, [on, rate]);
  return (
    <div className="my-1 flex items-center justify-between gap-2">
      <Tick checked={on} onChange={setOn}>
        Flicker, or press <kbd className="num rounded-[3px] border border-line px-1">X</kbd>
      </Tick>
      <NumberField
        label="Flicker rate"
        unit="per s"
        value={rate}
        min={0.5}
        max={8}
        step={0.1}
        digits={1}
        onChange={setRate}
      />
    </div>
  );
}

function Scale({ map, apart, against }: { map: string; apart: Compared; against: Against }) {
  return (
    <>
      <HeatScale
        unit={apart.unit}
        most={against.most[map] ?? 0}
        max={apart.max}
        onChange={(most) => change({ most: { ...against.most, [map]: most } })}
      />
      <p className="text-xs text-ink-3">Grey texels are covered by one of the two at most.</p>
    </>
  );
}

function Table({ compared: { maps, faults, only_a, only_b } }: { compared: RunsCompared }) {
  const label = useMapLabels();
  const run = useShownRun();
  const two = useTwo();
  const map = useView((s) => s.map);
  const all = Object.entries(maps);
  const same = all.filter(([, apart]) => apart.max === 0);
  const differing = all.filter(([, apart]) => apart.max > 0);
  const go = (key: string, { worst }: Compared) => {
    show({ map: key });
    if (!run || !worst) return;
    traceAt(run, worst.sheet, [(worst.x + 0.5) / run.size, 1 - (worst.y + 0.5) / run.size]);
  };
  return (
    <>
      {same.length > 0 && (
        <p className="mt-1.5 text-ink-2" data-same={same.length}>
          The same in both: {same.map(([key]) => label(key)).join(", ")}.
        </p>
      )}
      <table className="mt-1.5 w-full [&_thead]:text-ink-3" hidden={differing.length === 0}>
        <caption className="sr-only">How far the maps are apart</caption>
        <ApartHead of="Map" named />
        <tbody>
          {differing.map(([key, apart]) => (
            <tr key={key} data-compared={key} className={key === map ? "bg-sunk" : ""}>
              <th scope="row" className="py-0.5 text-left font-normal">
                {label(key)} <span className="text-xs text-ink-3">{apart.unit}</span>
              </th>
              <td className="num text-right">{figure(apart.mean)}</td>
              <td className="num text-right">{figure(apart.p99)}</td>
              <td className="num text-right">
                <button
                  type="button"
                  title={apart.worst ? `Go to texel ${apart.worst.x}, ${apart.worst.y}` : undefined}
                  className="underline decoration-ink-3 underline-offset-2 hover:decoration-ink"
                  onClick={() => go(key, apart)}
                >
                  {figure(apart.max)}
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {[...new Set(Object.values(faults))].map((why) => (
        <p key={why} className="text-ink-2">
          {Object.keys(faults)
            .filter((key) => faults[key] === why)
            .map(label)
            .join(", ")}{" "}
          cannot be compared: {why}.
        </p>
      ))}
      {only_a.length > 0 && <p className="text-ink-3">Only in this run: {only_a.map(label).join(", ")}.</p>}
      {only_b.length > 0 && two && (
        <p className="text-ink-3">
          Only in run {two.other.number}: {only_b.map(label).join(", ")}.
        </p>
      )}
    </>
  );
}
