// What the browser's tab tells while the page is behind others: what is baked, how far it is, and how a final ended.
import { useEffect, useRef } from "react";
import { api } from "../api/client";
import { useProgress } from "../api/progress";
import { useAssets, useQueue } from "../api/queries";
import type { QueuedRun } from "../api/types";
import { tell } from "../stops/bake/telling";

const NAME = "Ember Ridge";
const MARK = "/mark.svg";
/** Steps of the ring around the ember: the picture is made anew at each. */
const STEPS = 24;

/** The mark with a ring that is closed so far. */
function ring(share: number): string {
  const around = 2 * Math.PI * 9;
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 24 24" fill="none"><circle cx="12" cy="12" r="9" stroke="#8a8178" stroke-opacity=".4" stroke-width="4"/><circle cx="12" cy="12" r="9" stroke="#c8562a" stroke-width="4" stroke-dasharray="${(around * share).toFixed(1)} ${around.toFixed(1)}" transform="rotate(-90 12 12)"/></svg>`;
  return `data:image/svg+xml,${encodeURIComponent(svg)}`;
}

export function tabTitle(share: number | null, asset: string | undefined): string {
  const of = asset ? `${asset} – ${NAME}` : NAME;
  return share === null ? of : `${Math.round(share * 100)} % ${of}`;
}

export function useTab(asset: string | undefined) {
  const share = useProgress((s) => (s.running ? s.running.share : null));
  const assets = useAssets().data;
  const baked = useProgress((s) => s.running?.asset);
  const running = assets?.find((a) => a.id === baked)?.name;
  useEffect(() => {
    document.title = tabTitle(share, share === null ? asset : running);
  }, [share, asset, running]);
  const step = share === null ? null : Math.round(share * STEPS);
  useEffect(() => {
    const link = document.querySelector<HTMLLinkElement>("link[rel=icon]");
    if (link) link.href = step === null ? MARK : ring(step / STEPS);
  }, [step]);
  useEndedFinals();
}

/** Tells of each final that left the queue, how it ended. */
function useEndedFinals() {
  const queue = useQueue().data;
  const before = useRef<readonly QueuedRun[]>([]);
  useEffect(() => {
    if (!queue) return;
    const gone = before.current.filter(
      (q) => q.run.kind === "final" && !queue.some((now) => now.run.id === q.run.id),
    );
    before.current = queue;
    for (const { run, asset_name } of gone) {
      api.run(run.id).then(
        ({ run: ended }) => {
          if (ended.status === "done" || ended.status === "partial")
            tell(`${asset_name}: final ${run.number} is done`, findings(ended.findings));
          if (ended.status === "failed") tell(`${asset_name}: final ${run.number} failed`, ended.error ?? "");
        },
        // A run that was deleted is nobody's news.
        () => {},
      );
    }
  }, [queue]);
}

const findings = (count: number) =>
  count === 0 ? "No findings." : `${count} ${count === 1 ? "finding" : "findings"}.`;
