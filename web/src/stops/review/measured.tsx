// A sheet of many texels is measured on request: reading all of them takes the time that opening it must not.
import { show, useView } from "../../stages/view";
import { Button } from "../../ui/parts";

/** Runs of more texels per side are measured on request. */
const MOST_AT_ONCE = 4096;

/** Whether a run is measured without being asked for, or was asked for. */
export function useMeasured(run: { id: number; size: number } | null): boolean {
  const asked = useView((s) => s.measured);
  return run !== null && (run.size <= MOST_AT_ONCE || asked === run.id);
}

export function MeasureIt({ run, what }: { run: { id: number; size: number }; what: string }) {
  return (
    <div className="flex items-center justify-between gap-2 py-0.5">
      <span className="text-ink-3">
        {what}: reads all {run.size} x {run.size} texels.
      </span>
      <Button onClick={() => show({ measured: run.id })}>Measure</Button>
    </div>
  );
}
