// Before a final: the time, memory and disk that it takes, findings that will spoil it, and the files that it writes.
import { useQuery } from "@tanstack/react-query";
import { CircleAlert, CircleCheck } from "lucide-react";
import { api } from "../../api/client";
import { useFinalsCluster } from "../../api/clusters";
import { useAsset, useMeshFindings, useShownRun } from "../../api/queries";
import type { Preflight as Planned } from "../../api/types";
import { Failed } from "../../ui/failed";
import { Fold } from "../../ui/fold";
import { bytes, Section, seconds } from "../../ui/parts";
import { FindingCard, findingKey } from "../findings/finding-card";
import { FindingList } from "../findings/finding-list";

function usePreflight() {
  const asset = useAsset().data;
  return useQuery({
    queryKey: ["preflight", asset?.id, asset?.revision, asset?.runs[0]?.id],
    queryFn: () => api.preflight(asset?.id ?? 0),
    enabled: asset?.missing === null,
    gcTime: 30_000,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}

export function Preflight() {
  const asset = useAsset().data;
  const asked = usePreflight();
  const meshes = useMeshFindings().data?.findings ?? [];
  const run = useShownRun();
  const plan = asked.data;
  if (!asset || asset.missing !== null) return null;
  if (!plan) return <Failed of={asked} />;
  const found = run?.found ?? [];
  const open = [...meshes, ...asset.pair_findings, ...found].filter(
    (f) => f.severity !== "note" && !f.allowed,
  );
  const byRun = new Set(found);
  const lows = new Set(asset.recipe.low.map((source) => source.file));
  return (
    <Section title="Before the final">
      <Costs plan={plan} time={asset.estimates?.whole.seconds ?? null} />
      {plan.clashes.map((file) => (
        <p key={file} role="alert" className="flex gap-2 py-1 text-madder">
          <CircleAlert className="mt-0.5 size-3.5 shrink-0" />
          {file} has the name of a file that the asset reads. Import that file under another name: a package
          that would replace it is refused.
        </p>
      ))}
      {open.length === 0 ? (
        <p className="flex items-center gap-2 py-1 text-ink-2">
          <CircleCheck className="size-3.5 text-moss" /> No findings that would spoil it
        </p>
      ) : (
        <FindingList
          findings={open}
          card={(finding, place) => (
            <FindingCard
              key={findingKey(finding)}
              finding={finding}
              place={place}
              onLow={lows.has(finding.place.file ?? "")}
              run={byRun.has(finding) && run ? run : undefined}
            />
          )}
        />
      )}
      <Files plan={plan} />
    </Section>
  );
}

function Costs({ plan, time }: { plan: Planned; time: number | null }) {
  const away = useFinalsCluster() !== undefined;
  const line = (name: string, words: string, of: string, over: boolean) => (
    <>
      <dt>{name}</dt>
      <dd className={`num ${over ? "font-[560] text-madder" : ""}`}>{words}</dd>
      <dd className={`num text-right ${over ? "text-madder" : "text-ink-3"}`}>{of}</dd>
    </>
  );
  return (
    <dl
      aria-label="What the final takes"
      className="mb-1 grid grid-cols-[auto_1fr_auto] gap-x-3 rounded bg-sunk px-2 py-1.5"
    >
      {line(
        "Time",
        time === null ? "unknown" : `about ${seconds(time)}`,
        time === null ? "before the first bake" : away ? "on this machine" : "",
        false,
      )}
      {line("Memory", bytes(plan.memory), `of ${bytes(plan.memory_most)}`, plan.memory > plan.memory_most)}
      {line("Disk", bytes(plan.disk), `${bytes(plan.disk_left)} free`, plan.disk > plan.disk_left)}
    </dl>
  );
}

function Files({ plan }: { plan: Planned }) {
  const sum = plan.files.reduce((all, file) => all + file.bytes, 0);
  const count = `${plan.files.length} ${plan.files.length === 1 ? "file" : "files"}`;
  return (
    <Fold title={`${count}, ${plan.by_run === null ? "at most" : "about"} ${bytes(sum)}`}>
      <ul>
        {plan.files.map((file) => (
          <li key={file.file} className="flex justify-between gap-2">
            <span className="truncate" title={file.file}>
              {file.file}
            </span>
            <span className="num shrink-0 text-ink-3">{bytes(file.bytes)}</span>
          </li>
        ))}
      </ul>
      <p className="text-xs text-ink-3">
        {plan.by_run === null
          ? "Sizes before compression."
          : `Sizes follow from those of run ${plan.by_run}.`}
      </p>
    </Fold>
  );
}
