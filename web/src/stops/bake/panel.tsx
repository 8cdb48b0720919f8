// Bake: a proof to judge, the final to keep; watch it land, stop it, see what it cost.
import { type ShownRun, useActions, useAsset, useMapLabels, useRecipe, useShownRun } from "../../api/queries";
import { Button, count, Row, Section, Segment, StopHead, seconds } from "../../ui/parts";
import { ImportFirst } from "../next-step";
import { BatchSection } from "./batch/section";
import { FinalSection } from "./final-section";
import { KeptHits } from "./kept-hits";
import { Preflight } from "./preflight";
import { QueueSection } from "./queue-section";
import { TimeRows } from "./time-rows";

const PROOF_SIZES = ["256", "512", "1024"] as const;

export function BakeStop() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const { bake } = useActions();
  const run = useShownRun();
  if (!asset || !recipe) return null;
  const { missing } = asset;
  const proof = Math.min(recipe.sheet.proof_size, recipe.sheet.size);
  return (
    <>
      <StopHead title="Bake">A proof is small and quick, to judge by. The final is the one to keep.</StopHead>
      {missing && <ImportFirst missing={missing} />}
      <Section title="Proof">
        <Row
          label="Size"
          hint="One sample per texel; at most 16 rays per texel for maps that trace their own."
        >
          <Segment
            label="Proof size"
            options={PROOF_SIZES.map((s) => [s, s] as const)}
            value={String(recipe.sheet.proof_size) as "256" | "512" | "1024"}
            onChange={(v) => edit((r) => ({ ...r, sheet: { ...r.sheet, proof_size: Number(v) } }))}
          />
        </Row>
        <Button
          look="strong"
          className="mt-1 w-full"
          disabled={missing !== null}
          onClick={() => bake("proof")}
        >
          Bake a proof, {proof} <kbd className="num opacity-70">B</kbd>
        </Button>
      </Section>
      <FinalSection />
      <QueueSection />
      <BatchSection />
      <Preflight />
      {run?.report && run.kind !== "imported" && <Costs run={run} />}
      <Section title="Kept for later">
        <KeptHits />
      </Section>
    </>
  );
}

function Costs({ run }: { run: ShownRun }) {
  const label = useMapLabels();
  const report = run.report;
  if (!report) return null;
  const maps = Object.entries(report.maps);
  const total = Math.max(1e-9, report.ray_seconds + maps.reduce((n, [, m]) => n + m.seconds, 0));
  const rows: [string, number][] = [
    ["Primary rays", report.ray_seconds],
    ...maps.map(([id, m]) => [label(id), m.seconds] as [string, number]),
  ];
  return (
    <Section
      title={`Time per map, run ${run.number}`}
      aside={<span className="num text-ink-3">{seconds(report.seconds)}</span>}
    >
      <TimeRows rows={rows.map(([name, time]) => [name, time / total])} />
      <p className="mt-1.5 text-xs text-ink-3">
        {count(report.rays)} rays, {(report.rays / Math.max(1e-9, report.seconds) / 1e6).toFixed(1)} million
        per second.
        {report.kept_rays > 0 && ` ${count(report.kept_rays)} more were reused from earlier bakes.`}
      </p>
      {maps.map(([id, map]) => {
        const mean = map.mean_rays;
        return (
          mean != null && (
            <p key={id} className="text-xs text-ink-3">
              {label(id)}: <span className="num">{mean.toFixed(1)}</span> rays per texel on average.
            </p>
          )
        );
      })}
    </Section>
  );
}
