// The final: what it bakes, and where.
import { setFinalsOn, useClusters, useFinalsCluster } from "../../api/clusters";
import { mapKey } from "../../api/patch";
import { useActions, useAsset, useMapLabels, useRecipe } from "../../api/queries";
import type { ClusterView } from "../../api/types";
import { Button, Row, Section, Segment, seconds } from "../../ui/parts";

export function FinalSection() {
  const asset = useAsset().data;
  const [recipe] = useRecipe();
  const { bake } = useActions();
  const label = useMapLabels();
  const cluster = useClusters().data?.[0];
  const away = useFinalsCluster();
  if (!asset || !recipe) return null;
  const { size, samples, depth } = recipe.sheet;
  return (
    <Section title="Final">
      <p className="mb-1 text-ink-2">
        {recipe.maps.map((m) => label(mapKey(m))).join(", ")} at <span className="num">{size}</span>,{" "}
        <span className="num">{samples}</span> {samples === 1 ? "sample" : "samples"} per texel, {depth} bit
      </p>
      {cluster && (
        <Row label="Bake on">
          <Segment
            label="Bake finals on"
            options={[
              ["here", "This machine"],
              ["cluster", cluster.name],
            ]}
            value={away ? "cluster" : "here"}
            onChange={(where) => setFinalsOn(where === "cluster")}
          />
        </Row>
      )}
      <CutOff />
      {away && <Away cluster={away} work={asset.estimates?.whole.thread_seconds ?? null} />}
      <Button
        className="mt-2 w-full"
        disabled={asset.missing !== null}
        onClick={() => bake("final")}
        title={away ? `Bake the final on ${away.name}` : undefined}
      >
        Bake the final, {size} <kbd className="num opacity-70">Shift B</kbd>
      </Button>
    </Section>
  );
}

/** The last run, where a cluster did not finish it: why, and what can be done. */
function CutOff() {
  const run = useAsset().data?.runs[0];
  const { resume } = useActions();
  if (!run?.cluster || run.status !== "failed" || run.landed === 0) return null;
  return (
    <div role="alert" className="mt-1 rounded bg-sunk px-2 py-1.5">
      <p className="text-madder">
        Final {run.number}: {run.error}
      </p>
      <div className="mt-1.5 flex gap-1">
        <Button onClick={() => resume(run.id)}>Send again</Button>
        <Button onClick={() => resume(run.id, true)}>Go on here</Button>
      </div>
    </div>
  );
}

/** What a final takes on a cluster; `work`: seconds of one thread, where they are known. */
function Away({ cluster, work }: { cluster: ClusterView; work: number | null }) {
  const { name, partition, shares, threads, fault } = cluster;
  return (
    <div className="mt-1 rounded bg-sunk px-2 py-1.5 text-ink-2">
      <p>
        <span className="num">{shares}</span> {shares === 1 ? "share" : "shares"} of{" "}
        <span className="num">{threads}</span> {threads === 1 ? "thread" : "threads"}
        {partition ? `, partition ${partition}` : ""}.{" "}
        {work === null
          ? "How long they take is known after the first bake."
          : `About ${seconds(work)} of one thread's work: ${seconds(work / shares / threads)} if all shares run at once, besides splitting and joining here.`}
      </p>
      {fault && (
        <p role="alert" className="mt-1 text-madder">
          {name} does not answer now ({fault}). Bake on this machine, or try again later.
        </p>
      )}
    </div>
  );
}
