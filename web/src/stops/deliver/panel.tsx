// Deliver: the maps of a run as a profile wants them, in a folder that was read back, or as a zip of it.
import { Download } from "lucide-react";
import { packageUrl } from "../../api/client";
import { hasMaps, useActions, useAsset, useShownRun } from "../../api/queries";
import { bytes, Section, StopHead } from "../../ui/parts";
import { ImportFirst, NextStep } from "../next-step";
import { Deliveries } from "./deliveries";
import { FilesSection } from "./files-section";
import { ProfileSection } from "./profile-section";

export function DeliverStop() {
  const asset = useAsset().data;
  const shown = useShownRun();
  const run = shown && hasMaps(shown) ? shown : null;
  // Maps of another program are there to be compared.
  const imported = run?.kind === "imported";
  const newest = asset?.runs.find((r) => r.kind === "final" && r.region === null && hasMaps(r));
  return (
    <>
      <StopHead title="Deliver">
        Maps named, packed and encoded by a profile, with meshes and a sheet of facts; all of it is read back.
      </StopHead>
      {!run && <NothingYet />}
      {run && (
        <Section
          title={`Run ${run.number}, ${run.region ?? run.kind}`}
          aside={<span className="num text-ink-3">{bytes(run.bytes)}</span>}
        >
          {imported && (
            <p className="rounded border-l-3 border-ochre bg-sunk px-2 py-1">
              These maps were imported, and only what was baked here is delivered.{" "}
              {newest
                ? `Choose run ${newest.number} in the ledger.`
                : "Bake the final to deliver it (Shift B)."}
            </p>
          )}
          {run.kind === "proof" && (
            <p className="rounded border-l-3 border-ochre bg-sunk px-2 py-1">
              This is a proof.{" "}
              {newest
                ? `Choose run ${newest.number} in the ledger for the final.`
                : "Bake the final to deliver it (Shift B)."}
            </p>
          )}
          {run.region && (
            <p className="rounded border-l-3 border-ochre bg-sunk px-2 py-1">
              Only a region was baked; everything else is as it was in that run.{" "}
              {newest && `Run ${newest.number} in the ledger is a whole final.`}
            </p>
          )}
          {run.kind === "final" && !run.region && (
            <p className="text-ink-2">
              {Object.keys(run.report?.maps ?? {}).length} maps of {run.size} x {run.size} texels,{" "}
              {run.samples} {run.samples === 1 ? "sample" : "samples"} per texel
            </p>
          )}
        </Section>
      )}
      {run && !imported && <ProfileSection run={run} />}
      {run && !imported && <FilesSection run={run} />}
      <Deliveries />
      {run && !imported && (
        <Section title="As baked">
          <p className="text-ink-2">
            The maps as they were baked, with the report and the recipe: put recipe.json beside the meshes,
            and the command line repeats them, byte for byte.
          </p>
          <code className="num mt-1 block rounded bg-sunk p-2 select-all">
            ember-ridge bake recipe.json --out baked
          </code>
          <a
            href={packageUrl(run.id)}
            download
            className="mt-2 flex h-7 items-center justify-center gap-1.5 rounded border border-line bg-sheet font-[560] hover:bg-sunk"
          >
            <Download className="size-3.5" /> Download the maps
          </a>
        </Section>
      )}
    </>
  );
}

function NothingYet() {
  const asset = useAsset().data;
  const { bake } = useActions();
  if (asset?.missing) return <ImportFirst missing={asset.missing} />;
  return (
    <NextStep words="There is nothing to deliver yet." label="Bake the final" act={() => bake("final")} />
  );
}
