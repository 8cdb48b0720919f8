// Review: the map on the low-poly under a movable light, against the sculpt; what the bake found.

import { useActions, useAsset, useRunDetail, useShownRun } from "../../api/queries";
import { show, useView } from "../../stages/view";
import { Failed } from "../../ui/failed";
import { figure } from "../../ui/heat-scale";
import { count, Section, Segment, StopHead, seconds } from "../../ui/parts";
import { FindingCard, findingKey } from "../findings/finding-card";
import { FindingCount, FindingList, stateOf } from "../findings/finding-list";
import { ImportFirst, NextStep } from "../next-step";
import { AgainstSection } from "./against-section";
import { DisplacedSection } from "./displaced/section";
import { LookSection } from "./look/section";
import { MendsSection } from "./mends/section";
import { RegionSection } from "./region/section";
import { TruthsSection, useTruths } from "./truths-section";

export function ReviewStop() {
  const run = useShownRun();
  const look = useView((s) => s.look);
  const report = run?.report;
  const findings = run?.found ?? [];
  const imported = run?.kind === "imported";
  return (
    <>
      <StopHead title="Review">
        The baked low-poly against the sculpt, under one light. Drag the lamp on the stage.
      </StopHead>
      <Section title="Against the sculpt">
        <Segment
          label="Compare"
          wide
          options={[
            ["baked", "Baked"],
            ["wipe", "Wipe"],
            ["beside", "Side by side"],
            ["low", "Low"],
          ]}
          value={look === "sculpt" ? "wipe" : look}
          onChange={(v) => show({ look: v })}
        />
        <p className="mt-1.5 text-xs text-ink-3">
          Point at the model or the sheet: the other stage marks the same place. Click to trace its ray.
        </p>
      </Section>
      {!report && <NothingYet />}
      <AgainstSection />
      {run && report && (
        <Section
          title={`Run ${run.number}, ${run.region ?? run.kind}`}
          aside={<HeadLine seconds={imported ? null : report.seconds} />}
        >
          <p className="mb-1.5 font-[560]">
            {imported ? "Made by another program; measured here." : `${stateOf(findings)}.`}
          </p>
          {imported &&
            run.changes.slice(1).map((note) => (
              <p key={note} className="mb-1.5 text-ink-2">
                {note}.
              </p>
            ))}
          <dl className="grid grid-cols-[1fr_auto] gap-y-1">
            <Fact
              name="Sheet"
              value={`${run.size} x ${run.size}${imported ? "" : `, ${run.samples} per texel`}`}
            />
            <Fact name="Texels covered" value={`${((100 * report.covered) / report.texels).toFixed(1)} %`} />
            {!imported && (
              <>
                <Fact
                  name="Missed"
                  value={`${count(report.misses)} (${shareOf(report.misses, report.covered)})`}
                />
                <Fact name="Through back faces" value={count(report.back_faces)} />
                <Fact
                  name="Reach out / in"
                  value={`${report.reach.out.toPrecision(3)} / ${report.reach.in.toPrecision(3)}`}
                />
              </>
            )}
          </dl>
        </Section>
      )}
      {report && <LookSection />}
      {report && <TruthsSection />}
      <DisplacedSection />
      {report && !imported && (
        <Section title="Findings" aside={<FindingCount findings={findings} />}>
          {findings.length === 0 ? (
            <p className="text-ink-3">
              {report.recipe?.high.length !== 0
                ? "None. Nearly every texel hits the sculpt from its front."
                : "None."}
            </p>
          ) : (
            <FindingList
              findings={findings}
              card={(f, place) => (
                <FindingCard key={findingKey(f)} finding={f} run={run ?? undefined} place={place} />
              )}
            />
          )}
        </Section>
      )}
      <RegionSection />
      <MendsSection />
      {report?.maps.id?.palette && <Palette entries={report.maps.id.palette} />}
    </>
  );
}

/** How true the run is, in a word for each, and how long it took. */
function HeadLine(props: { seconds: number | null }) {
  const truths = useTruths().data?.truths;
  const lit = truths?.lit?.[0];
  const told = [lit && `${figure(lit.mean)}°`, truths?.displaced && `${figure(truths.displaced.mean)} u`];
  return (
    <span
      className="num text-ink-3"
      title="Mean of normals and displacement against the sculpt, and the time it took"
    >
      {[...told, props.seconds !== null && seconds(props.seconds)].filter(Boolean).join(", ")}
    </span>
  );
}

/** A share as a percentage that never reads as nothing when it is something. */
function shareOf(some: number, all: number): string {
  const percent = (100 * some) / Math.max(1, all);
  return percent > 0 && percent < 0.01 ? "< 0.01 %" : `${percent.toFixed(2)} %`;
}

function NothingYet() {
  const detail = useRunDetail();
  const asset = useAsset().data;
  const { bake } = useActions();
  if (detail.isError)
    return (
      <Section>
        <Failed of={detail} />
      </Section>
    );
  if (asset?.missing) return <ImportFirst missing={asset.missing} />;
  if (asset?.runs.some((r) => r.status === "running" || r.status === "waiting"))
    return (
      <Section>
        <p className="text-ink-2">The first bake is running. Its figures and findings will be here.</p>
      </Section>
    );
  return <NextStep words="Nothing is baked yet." label="Bake a proof" act={() => bake("proof")} />;
}

function Fact({ name, value }: { name: string; value: string }) {
  return (
    <>
      <dt className="text-ink-2">{name}</dt>
      <dd className="num text-right">{value}</dd>
    </>
  );
}

function Palette({ entries }: { entries: { name: string; color: [number, number, number] }[] }) {
  return (
    <Section title="ID regions" aside={<span className="num text-ink-3">{entries.length}</span>}>
      <ul className="grid grid-cols-2 gap-x-3 gap-y-1">
        {entries.slice(0, 24).map((e) => (
          <li key={e.name} className="flex min-w-0 items-center gap-2">
            <i
              className="size-3.5 shrink-0 rounded-[2px] ring-1 ring-black/20"
              style={{ background: `rgb(${e.color.join()})` }}
            />
            <span className="truncate">{e.name}</span>
          </li>
        ))}
      </ul>
      {entries.length > 24 && (
        <p className="mt-1 text-ink-3">and {entries.length - 24} more, listed in report.json</p>
      )}
    </Section>
  );
}
