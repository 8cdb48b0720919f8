// Review: the map on the low-poly under a movable light, against the sculpt; what the bake found.
import { useAsset, useShownRun } from "../api/queries";
import { resultFindings } from "../shell/trail";
import { useStore } from "../state";
import { FindingCard } from "../ui/finding-card";
import { FindingList } from "../ui/finding-list";
import { count, Section, Segment, StopHead, seconds } from "../ui/parts";

export function ReviewStop() {
  const run = useShownRun();
  const asset = useAsset().data;
  const { look, set } = useStore();
  const report = run?.report;
  const findings = resultFindings(run);
  const share = report ? (100 * report.misses) / Math.max(1, report.covered) : 0;
  return (
    <>
      <StopHead title="Review">
        The baked low-poly against the sculpt, under one light. Drag the lamp on the stage.
      </StopHead>
      <Section title="Compare">
        <Segment
          label="Compare"
          wide
          options={[
            ["baked", "Baked"],
            ["wipe", "Wipe"],
            ["beside", "Beside"],
            ["low", "Bare"],
          ]}
          value={look === "sculpt" ? "wipe" : look}
          onChange={(v) => set({ look: v })}
        />
        <p className="mt-1.5 text-xs text-ink-3">
          Point at the model or the sheet: the other stage marks the same place. Click to trace its ray.
        </p>
      </Section>
      {!report && (
        <Section>
          <p className="text-ink-2">
            {asset?.runs.some((r) => r.status === "running" || r.status === "waiting")
              ? "The first bake is under way; it is told of here when it is done."
              : "Nothing is baked yet. Press B for a proof."}
          </p>
        </Section>
      )}
      {run && report && (
        <Section
          title={`Run ${run.number}, ${run.kind}`}
          aside={<span className="num text-ink-3">{seconds(report.seconds)}</span>}
        >
          <dl className="grid grid-cols-[1fr_auto] gap-y-1">
            <Fact name="Sheet" value={`${run.size} x ${run.size}, ${run.samples} per texel`} />
            <Fact name="Texels covered" value={`${((100 * report.covered) / report.texels).toFixed(1)} %`} />
            <Fact name="Missed" value={`${count(report.misses)} (${share.toFixed(3)} %)`} />
            <Fact name="Through back faces" value={count(report.back_faces)} />
            <Fact
              name="Reach out / in"
              value={`${report.reach.out.toPrecision(3)} / ${report.reach.in.toPrecision(3)}`}
            />
          </dl>
        </Section>
      )}
      {report && (
        <Section title="Findings" aside={<span className="num text-ink-3">{findings.length}</span>}>
          {findings.length === 0 ? (
            <p className="text-ink-3">None: every part is hit nearly everywhere, and from its front.</p>
          ) : (
            <FindingList
              findings={findings}
              card={(f) => <FindingCard key={f.kind + f.place.part} finding={f} run={run ?? undefined} />}
            />
          )}
        </Section>
      )}
      {report?.maps.id?.palette && <Palette entries={report.maps.id.palette} />}
    </>
  );
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
