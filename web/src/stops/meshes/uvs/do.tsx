// A button for one edit of the UVs.
import type { UvOrder } from "../../../api/types";
import { Button } from "../../../ui/parts";
import { useUvEdit } from "./edit";
import { useUvs } from "./state";

export function Do({ order, children }: { order: UvOrder; children: string }) {
  const edit = useUvEdit();
  const busy = useUvs((s) => s.busy);
  return (
    <Button className="grow" disabled={busy} onClick={() => void edit(order)}>
      {children}
    </Button>
  );
}
