// Several assets at once: chosen, baked one after the other, each delivered by one profile; and what became of them.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, deliveredUrl, deliveryZipUrl } from "../../../api/client";
import { open } from "../../../api/open";
import { useAssets } from "../../../api/queries";
import type { BatchLineView, BatchState, BatchView } from "../../../api/types";
import { Failed } from "../../../ui/failed";
import { Button, Section, seconds } from "../../../ui/parts";
import { BatchDialog } from "./dialog";

export function BatchSection() {
  const assets = useAssets().data ?? [];
  const asked = useQuery({ queryKey: ["batches"], queryFn: api.batches });
  const [choosing, setChoosing] = useState(false);
  const newest = asked.data?.[0];
  if (assets.length < 2 && !newest) return null;
  return (
    <Section title="Several assets">
      <p className="text-ink-2">
        Finals of chosen assets, one after the other, each delivered by one profile.
      </p>
      <Button className="mt-2 w-full" onClick={() => setChoosing(true)}>
        Choose assets…
      </Button>
      <Failed of={asked} />
      {newest && <Batch batch={newest} />}
      {choosing && <BatchDialog onClose={() => setChoosing(false)} />}
    </Section>
  );
}

const STATES: Record<BatchState, string> = {
  waiting: "queued",
  baking: "baking",
  delivering: "delivering",
  done: "done",
  unchanged: "up to date",
  stopped: "stopped",
  failed: "failed",
};

/** How many of each state, those that ask for something first. */
export function summary(lines: readonly Pick<BatchLineView, "state">[]): string {
  const order: BatchState[] = ["failed", "stopped", "baking", "delivering", "waiting", "done", "unchanged"];
  const counted = order.map((state) => [state, lines.filter((line) => line.state === state).length] as const);
  const words = counted.filter(([, n]) => n > 0).map(([state, n]) => `${n} ${STATES[state]}`);
  return words.join(", ");
}

function Batch({ batch }: { batch: BatchView }) {
  const { lines, profile, made } = batch;
  const when = new Date(made * 1000).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
  return (
    <div className="mt-3" data-batch={batch.id}>
      <p className="font-[560]">{summary(lines)}</p>
      <p className="text-xs text-ink-3">
        {when}, {profile === null ? "not delivered" : `delivered by ${profile}`}
      </p>
      <ol aria-label="Assets of the batch" className="mt-1.5 max-h-80 overflow-y-auto">
        {lines.map((line) => (
          <Line key={line.asset} line={line} />
        ))}
      </ol>
    </div>
  );
}

function Line({ line }: { line: BatchLineView }) {
  const { asset, asset_name, state, run, delivery, fault } = line;
  const findings = run?.findings ?? 0;
  const baked = state === "done" || state === "unchanged" || state === "delivering";
  const facts = [
    run && `run ${run.number}`,
    baked && state !== "unchanged" && run?.seconds != null && seconds(run.seconds),
    baked && (findings === 0 ? "no findings" : `${findings} ${findings === 1 ? "finding" : "findings"}`),
    delivery && `version ${delivery.version}, ${delivery.checks} checks`,
  ];
  return (
    <li className="flex gap-2 border-t border-line py-1.5" data-state={state}>
      {delivery?.contact ? (
        <img
          src={deliveredUrl(delivery.id, delivery.contact)}
          alt=""
          className="h-9 w-14 shrink-0 rounded-[2px] bg-stage object-cover object-left"
        />
      ) : (
        <span className="h-9 w-14 shrink-0 rounded-[2px] bg-sunk" />
      )}
      <span className="min-w-0 grow leading-tight">
        <span className="flex items-baseline justify-between gap-2">
          <button
            type="button"
            className="min-w-0 truncate text-left font-semibold hover:underline"
            onClick={() => open({ asset, run: run?.id ?? null, stop: run && baked ? "review" : "bake" })}
          >
            {asset_name}
          </button>
          <span className={`shrink-0 ${state === "failed" ? "text-madder" : "text-ink-2"}`}>
            {STATES[state]}
          </span>
        </span>
        <span className="flex items-baseline justify-between gap-2 text-xs text-ink-3">
          <span className="min-w-0">{facts.filter(Boolean).join(", ")}</span>
          {delivery && (
            <a
              className="shrink-0 text-ember-strong underline underline-offset-2"
              href={deliveryZipUrl(delivery.id)}
            >
              Zip
            </a>
          )}
        </span>
        {fault && <span className="block text-madder">{fault}</span>}
      </span>
    </li>
  );
}
