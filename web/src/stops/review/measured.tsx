// A run whose maps come in squares is measured on request: reading all of their texels takes the time that opening one must not.
import type { ShownRun } from "../../api/queries";
import { show, useView } from "../../stages/view";
import { Button } from "../../ui/parts";

/** Whether a run is measured without being asked for, or was asked for. */
export function useMeasured(run: ShownRun | null): boolean {
  const asked = useView((s) => s.measured);
  const large = run?.pictures.some((picture) => (picture.squares?.length ?? 0) > 0);
  return run !== null && (!large || asked === run.id);
}

export function MeasureIt({ run, what }: { run: ShownRun; what: string }) {
  return (
    <div className="flex items-center justify-between gap-2 py-0.5">
      <span className="text-ink-3">
        {what}: reads all {run.size} x {run.size} texels.
      </span>
      <Button onClick={() => show({ measured: run.id })}>Measure</Button>
    </div>
  );
}
