// Deliver: take the maps away, with the report and the recipe that repeats them.
import { Download } from "lucide-react";
import { packageUrl } from "../../api/client";
import { hasMaps, useActions, useAsset, useShownRun } from "../../api/queries";
import { bytes, Section, StopHead } from "../../ui/parts";
import { ImportFirst, NextStep } from "../next-step";

export function DeliverStop() {
  const asset = useAsset().data;
  const shown = useShownRun();
  const run = shown && hasMaps(shown) ? shown : null;
  const newest = asset?.runs.find((r) => r.kind === "final" && r.region === null && hasMaps(r));
  const maps = Object.entries(run?.report?.maps ?? {});
  return (
    <>
      <StopHead title="Deliver">
        Download the maps, with a report and a recipe that repeats the bake.
      </StopHead>
      {!run && <NothingYet />}
      {run && (
        <Section
          title={`Run ${run.number}, ${run.region ?? run.kind}`}
          aside={<span className="num text-ink-3">{bytes(run.bytes)}</span>}
        >
          {run.kind === "proof" && (
            <p className="mb-2 rounded border-l-3 border-ochre bg-sunk px-2 py-1">
              This is a proof.{" "}
              {newest
                ? `Choose run ${newest.number} in the ledger for the final.`
                : "Bake the final to deliver it (Shift B)."}
            </p>
          )}
          {run.region && (
            <p className="mb-2 rounded border-l-3 border-ochre bg-sunk px-2 py-1">
              Only a region was baked; everything else is as it was in that run.{" "}
              {newest && `Run ${newest.number} in the ledger is a whole final.`}
            </p>
          )}
          <ul className="divide-y divide-line">
            {maps.map(([id, m]) => (
              <li key={id} className="py-1.5">
                <b className="block truncate" title={m.file}>
                  {m.file}
                </b>
                <span className="text-ink-3">
                  <span className="num">
                    {m.width} x {m.height}
                  </span>
                  , {m.depth} bit, {m.encoding}
                </span>
              </li>
            ))}
            <li className="py-1.5">
              <b>report.json</b> <span className="text-ink-3">times and findings</span>
            </li>
            <li className="py-1.5">
              <b>recipe.json</b> <span className="text-ink-3">the settings, to repeat the bake</span>
            </li>
          </ul>
          <a
            href={packageUrl(run.id)}
            download
            className="mt-2 flex h-7 items-center justify-center gap-1.5 rounded bg-ink font-[560] text-sheet hover:opacity-90"
          >
            <Download className="size-3.5" /> Download the zip
          </a>
        </Section>
      )}
      {run && (
        <Section title="Repeat on the command line">
          <p className="text-ink-2">Put recipe.json beside the mesh files, then:</p>
          <code className="num mt-1 block rounded bg-sunk p-2 select-all">
            ember-ridge bake recipe.json --out baked
          </code>
          <p className="mt-1 text-xs text-ink-3">The maps are identical, byte for byte.</p>
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
