// Findings of a run's result.
import type { ShownRun } from "../../api/queries";
import type { Finding } from "../../api/types";

const RESULTS: readonly string[] = [
  "misses",
  "back-face-hits",
  "wrong-part-hits",
  "lean",
  "cage-gaps",
  "colours-merged",
  "range-clipped",
  "picture-texels",
];

export function resultFindings(run: ShownRun | null): Finding[] {
  return run?.report?.findings.filter((f) => RESULTS.includes(f.kind)) ?? [];
}
