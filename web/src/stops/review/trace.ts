// The texel whose story is told: chosen by a click on a stage or from a finding.
import { useQuery } from "@tanstack/react-query";
import { api } from "../../api/client";
import type { RunView } from "../../api/types";
import { show } from "../../stages/view";
import { setTraced, useTraced } from "./state";

/** Tells the story of the texel at a place of a sheet, u and v from 0 to 1. */
export function traceAt(run: RunView, sheet: number, uv: readonly [number, number]) {
  const texel = (share: number) => Math.min(run.size - 1, Math.max(0, Math.floor(share * run.size)));
  if (uv.some((c) => c < 0 || c >= 1)) return;
  const traced = { run: run.id, sheet, x: texel(uv[0]), y: texel(1 - uv[1]) };
  show({ sheet });
  setTraced({ traced, ray: 0 });
}

export function useTrace() {
  const traced = useTraced((s) => s.traced);
  return useQuery({
    queryKey: ["trace", traced],
    queryFn: () => api.trace(traced?.run ?? 0, traced?.sheet ?? 0, traced?.x ?? 0, traced?.y ?? 0),
    enabled: traced !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 20_000,
    retry: false,
  });
}
