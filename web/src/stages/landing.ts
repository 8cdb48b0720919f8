// The bake of the asset on screen while its tiles land. It is shown where nothing else is asked for: no run was chosen or compared.
import { useOpen } from "../api/open";
import { useProgress } from "../api/progress";
import { useAsset } from "../api/queries";
import type { ProgressView } from "../api/types";
import { useView } from "./view";

/** What `pick` takes of it: the less, the fewer renders. Null while none lands. */
export function useLanding<T>(pick: (landing: ProgressView) => T): T | null {
  const asset = useAsset().data?.id;
  const free = useOpen((s) => s.run === null);
  const alone = useView((s) => s.against === null);
  return useProgress(({ running }) =>
    running && free && alone && running.asset === asset && running.stage === "baking" ? pick(running) : null,
  );
}
