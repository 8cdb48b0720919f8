// The files that a delivery would hold, what stands against it, where it goes, and the button. Nothing is replaced without being asked.
import { FolderOutput } from "lucide-react";
import { useState } from "react";
import { RequestFailed, type ShownRun } from "../../api/queries";
import type { DeliveryPlan, DeliveryView } from "../../api/types";
import { depthLabel } from "../../ui/depth";
import { Failed } from "../../ui/failed";
import { Fold } from "../../ui/fold";
import { Button, bytes, Section } from "../../ui/parts";
import { FindingCard, findingKey } from "../findings/finding-card";
import { FindingList } from "../findings/finding-list";
import { useDelivering, useFolder, usePlan, useProfile } from "./state";
import { TextField } from "./text-field";

export function FilesSection({ run }: { run: ShownRun }) {
  const asked = usePlan(run.id);
  const plan = asked.isError ? undefined : asked.data;
  const most = plan?.pictures.reduce((sum, picture) => sum + picture.most_bytes, 0) ?? 0;
  return (
    <Section
      title="Files"
      aside={
        plan && (
          <span className="num text-ink-3">
            {plan.pictures.length} pictures, at most {bytes(most)}
          </span>
        )
      }
    >
      <Failed of={asked} />
      {!plan && !asked.isError && (
        <p className="text-ink-3">Looking what the profile makes of run {run.number}…</p>
      )}
      {plan && <Files plan={plan} />}
      {plan && plan.findings.length > 0 && (
        <FindingList
          findings={plan.findings}
          card={(finding, place) => <FindingCard key={findingKey(finding)} finding={finding} place={place} />}
        />
      )}
      {plan && <Order run={run} plan={plan} />}
    </Section>
  );
}

const spaces: Record<string, string> = { sRGB: "sRGB", linear: "linear light", data: "data" };

function Files({ plan }: { plan: DeliveryPlan }) {
  const rows = plan.pictures.map(({ file, picture }) => (
    <li key={file} className="py-1">
      <b className="block truncate" title={file}>
        {file}
      </b>
      <span className="text-ink-3">
        <span className="num">
          {picture.width} x {picture.height}
        </span>
        , {picture.channels} {picture.channels === 1 ? "channel" : "channels"},{" "}
        {depthLabel(picture.format, picture.depth)}, {spaces[picture.color_space] ?? picture.color_space}
      </span>
    </li>
  ));
  /** What fits without pushing the button off the panel. */
  const few = 6;
  return (
    <>
      <ul className="divide-y divide-line">{rows.slice(0, few)}</ul>
      {rows.length > few && (
        <Fold title={`${rows.length - few} more`}>
          <ul className="divide-y divide-line">{rows.slice(few)}</ul>
        </Fold>
      )}
    </>
  );
}

function Order({ run, plan }: { run: ShownRun; plan: DeliveryPlan }) {
  const { profile } = useProfile();
  const [folder, setFolder] = useFolder();
  const delivering = useDelivering();
  /** Whether to replace what is there has been asked. */
  const [asking, setAsking] = useState(false);
  const [failed, setFailed] = useState<DeliveryView | null>(null);
  if (!profile) return null;
  const forbidden = plan.findings.some((finding) => finding.severity === "fault");
  const deliver = (replace: boolean) => {
    setAsking(false);
    setFailed(null);
    delivering.mutate(
      { run: run.id, order: { profile, folder, replace } },
      { onSuccess: (view) => setFailed(view.id === null ? view : null) },
    );
  };
  const root = plan.place.slice(0, Math.max(0, plan.place.length - folder.length));
  const fault = delivering.error;
  return (
    <div className="mt-2">
      <span className="text-ink-2">Folder</span>
      <TextField label="Folder" value={folder} onChange={setFolder} className="num w-full bg-sunk" />
      <p className="truncate text-xs text-ink-3" title={plan.place}>
        below {root}
      </p>
      {plan.refused && (
        <p role="alert" className="mt-1 text-madder">
          {plan.refused}
        </p>
      )}
      {asking ? (
        <div
          role="alertdialog"
          aria-label="Replace"
          className="mt-2 rounded border-l-3 border-ochre bg-sunk px-2 py-1.5"
        >
          <p>
            Version {plan.version - 1} is there. Put version {plan.version} in its place? Version{" "}
            {plan.version - 1} stays beside it, as{" "}
            <span className="num">
              {lastPart(folder)}.v{String(plan.version - 1).padStart(3, "0")}
            </span>
            .
          </p>
          <div className="mt-1.5 flex gap-1.5">
            <Button look="strong" onClick={() => deliver(true)}>
              Replace
            </Button>
            <Button onClick={() => setAsking(false)}>Cancel</Button>
          </div>
        </div>
      ) : (
        <Button
          look="strong"
          className="mt-2 w-full"
          disabled={forbidden || plan.refused !== null || delivering.isPending}
          onClick={() => (plan.taken ? setAsking(true) : deliver(false))}
        >
          <FolderOutput className="size-3.5" />
          {delivering.isPending
            ? "Writing and reading back…"
            : plan.taken
              ? `Deliver version ${plan.version}`
              : "Deliver"}
        </Button>
      )}
      {forbidden && <p className="mt-1 text-madder">A fault above forbids it.</p>}
      {fault && (
        <p role="alert" className="mt-1 text-madder">
          {fault instanceof RequestFailed ? fault.message : String(fault)}
        </p>
      )}
      {failed && (
        <div role="alert" className="mt-1 text-madder">
          Nothing was delivered: read back, it was not what was written.
          <ul>
            {failed.checks
              .filter((check) => !check.fine)
              .map((check) => (
                <li key={`${check.file} ${check.what}`}>
                  {check.file}: {check.found}. {check.remedy}
                </li>
              ))}
          </ul>
        </div>
      )}
    </div>
  );
}

const lastPart = (folder: string) => folder.split("/").at(-1) ?? folder;
