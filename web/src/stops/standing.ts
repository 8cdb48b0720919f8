// How far an asset is, for the stops' states on the trail.
import { hasMaps, useAsset } from "../api/queries";
import type { Finding } from "../api/types";
import type { StopState } from "./stop";

/** Whether the asset that is open has all that a bake needs. */
export function useWhole(): boolean {
  return useAsset().data?.missing === null;
}

export function useHasFinal(): boolean {
  return useAsset().data?.runs.some((r) => r.kind === "final" && hasMaps(r)) ?? false;
}

/** Open findings count before everything else. */
export function standing(findings: readonly Finding[], ready: boolean): StopState {
  const open = findings.filter((f) => f.severity !== "note" && !f.allowed).length;
  if (open > 0) return { open };
  return ready ? "ready" : "nothing";
}
