// What a run's files say, read as a renderer reads them and held against the sculpt: figures, faults, and where they are off.
import { useQuery } from "@tanstack/react-query";
import { CircleAlert } from "lucide-react";
import { useEffect } from "react";
import { api } from "../../api/client";
import { useShownRun } from "../../api/queries";
import type { AskedTruths } from "../../api/types";
import { lookAt, show, useView } from "../../stages/view";
import { ApartHead } from "../../ui/apart-head";
import { Failed } from "../../ui/failed";
import { Fold } from "../../ui/fold";
import { figure, firstMost, HeatScale } from "../../ui/heat-scale";
import { Section } from "../../ui/parts";
import { MeasureIt, useMeasured } from "./measured";
import { traceAt } from "./trace";

type Truth = NonNullable<AskedTruths["truths"]["seams"]>;
type Of = "lit" | "displaced" | "seams";

const WORDS: Record<Of, readonly [string, string]> = {
  lit: ["Normals", "The normal map as a renderer reads it, against the sculpt's own normals."],
  displaced: ["Displaced", "The low-poly moved by the displacement map, as far from the sculpt."],
  seams: ["Seams", "Both sides of every UV seam against each other."],
};

export function useTruths() {
  const run = useShownRun();
  const measured = useMeasured(run);
  return useQuery({
    queryKey: ["truths", run?.id],
    queryFn: () => api.truths(run?.id ?? 0),
    enabled: measured,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });
}

export function TruthsSection() {
  const run = useShownRun();
  const asked = useTruths();
  const heat = useView((s) => s.heat);
  const told = asked.data;
  const there = run?.id;
  const measured = useMeasured(run);
  // What is shown of one run says nothing of the next.
  // biome-ignore lint/correctness/useExhaustiveDependencies: it goes with the run
  useEffect(() => () => show({ heat: null }), [there]);
  if (!run) return null;
  const truths = told?.truths;
  const lit = truths?.lit?.[0];
  const rows: [Of, Truth | null | undefined][] = [
    ["lit", lit],
    ["displaced", truths?.displaced],
    ["seams", truths?.seams],
  ];
  const shown = rows.flatMap(([of, truth]) => (truth && heat?.of === of ? [truth] : []))[0];
  return (
    <Section title="Measured against the sculpt">
      {!measured && <MeasureIt run={run} what="Not measured yet" />}
      {measured && asked.isPending && <p className="text-ink-3">Reading the files as a renderer does…</p>}
      <Failed of={asked} />
      {rows.some(([, truth]) => truth) && (
        <table className="w-full [&_thead]:text-ink-3">
          <ApartHead of="What is measured" />
          <tbody>
            {rows.map(([of, truth]) => truth && <Line key={of} of={of} truth={truth} on={heat?.of === of} />)}
          </tbody>
        </table>
      )}
      {heat && shown && (
        <HeatScale
          unit={shown.unit}
          most={heat.most}
          max={shown.max}
          onChange={(most) => show({ heat: { ...heat, most } })}
        />
      )}
      {truths?.displaced && (
        <p className="text-xs text-ink-3">
          Displaced: on average {(100 * truths.displaced.mean_share).toPrecision(2)} % of the asset's
          diagonal.
        </p>
      )}
      {(truths?.lit?.length ?? 0) > 1 && (
        <Fold title="Normals from a distance">
          <table className="w-full text-ink-2">
            <tbody>
              {truths?.lit?.slice(1).map(({ level, mean, p99, unit }) => (
                <tr key={level}>
                  <th scope="row" className="text-left font-normal">
                    Mip {level}, {run.size >> level} px
                  </th>
                  <td className="num text-right">{figure(mean)}</td>
                  <td className="num text-right">{figure(p99)}</td>
                  <td className="pl-1 text-right text-xs text-ink-3">{unit}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Fold>
      )}
      {told?.faults?.map(({ map, fault, remedy }) => (
        <p key={`${map} ${fault}`} role="alert" className="mt-1 flex gap-1.5">
          <CircleAlert className="mt-0.5 size-3.5 shrink-0 text-madder" />
          <span>
            <b className="capitalize">{map}</b>: {fault}. {remedy}.
          </span>
        </p>
      ))}
      {told?.notes?.map((note) => (
        <p key={note} className="mt-1 text-xs text-ink-3">
          {note.charAt(0).toUpperCase() + note.slice(1)}.
        </p>
      ))}
    </Section>
  );
}

function Line({ of, truth, on }: { of: Of; truth: Truth; on: boolean }) {
  const run = useShownRun();
  const [name, hint] = WORDS[of];
  const go = () => {
    if (!truth.worst || !run) return;
    const { position, uv } = truth.worst;
    lookAt(position as [number, number, number]);
    const [u, v] = [uv[0] ?? 0, uv[1] ?? 0];
    if (run.report?.sheets.length === 1) traceAt(run, 0, [u - Math.floor(u), v - Math.floor(v)]);
  };
  return (
    <tr data-truth={of} data-mean={truth.mean} className={on ? "bg-sunk" : ""}>
      <th scope="row" className="py-0.5 text-left font-normal">
        <button
          type="button"
          aria-pressed={on}
          title={`${hint} Click to show where.`}
          onClick={() => show({ heat: on ? null : { of, most: firstMost(truth) } })}
          className="underline decoration-ink-3 decoration-dotted underline-offset-2 hover:decoration-ink aria-pressed:font-semibold"
        >
          {name}
        </button>{" "}
        <span className="text-xs text-ink-3">{truth.unit}</span>
      </th>
      <td className="num text-right">{figure(truth.mean)}</td>
      <td className="num text-right">{figure(truth.p99)}</td>
      <td className="num text-right">
        <button
          type="button"
          title={truth.worst ? `Go to the worst place, on ${truth.worst.part}` : undefined}
          onClick={go}
          className="underline decoration-ink-3 underline-offset-2 hover:decoration-ink"
        >
          {figure(truth.max)}
        </button>
      </td>
    </tr>
  );
}
