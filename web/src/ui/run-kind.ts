// What kinds of runs are called where a sentence begins.
import type { RunKind } from "../api/types";

export const RUN_KINDS: Record<RunKind, string> = { proof: "Proof", final: "Final", imported: "Imported" };
