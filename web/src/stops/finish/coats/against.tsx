// Baked against live: the model with the maps of the run beside the finish as it is worked out now, at the size of that run, and how far
// the two are apart.
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { api } from "../../../api/client";
import { open, useHolding, useOpen } from "../../../api/open";
import { useAsset, useMapLabels, useRecipe, useShownRun } from "../../../api/queries";
import { useMaterialUrls } from "../../../stages/model/maps-paint";
import { useView } from "../../../stages/view";
import { ApartHead } from "../../../ui/apart-head";
import { useAtFinish } from "../edit";
import { useFinish } from "../state";
import { dependsOn } from "./live";

/** Pictures of the run's maps that a material is made of, by map; null where the run shows no finish. */
export function useBakedMaterial(): Readonly<Record<string, string>> | null {
  const urls = useMaterialUrls(useShownRun(), true);
  return urls["base-color"] ? urls : null;
}

/** Whether baked maps are held against the live finish. */
function useComparing(): boolean {
  const at = useAtFinish();
  const { compare, finishShow, tab } = useFinish();
  return at && tab === "finishes" && finishShow === "material" && compare !== "off";
}

/** Keeps the run that is compared on screen while proofs follow the hand, and follows them again afterwards. Stands once. */
export function useHeldRun() {
  const comparing = useComparing();
  const shown = useShownRun()?.id;
  const held = useRef<number | null>(null);
  useEffect(() => {
    if (!comparing || shown === undefined || useOpen.getState().run !== null) return;
    held.current = shown;
    open({ run: shown });
  }, [comparing, shown]);
  useEffect(() => {
    if (!comparing) return;
    useHolding.setState({ holds: true });
    return () => {
      useHolding.setState({ holds: false });
      if (held.current !== null && useOpen.getState().run === held.current) open({ run: null });
      held.current = null;
    };
  }, [comparing]);
}

/** The comparison that is asked for; idle while none is. */
export function useAgainstLive() {
  const asset = useAsset().data;
  const [recipe] = useRecipe();
  const run = useShownRun();
  const sheet = useView((s) => s.sheet);
  const wanted = useComparing();
  const baked = useBakedMaterial();
  return useQuery({
    queryKey: ["against-live", asset?.id, run?.id, sheet, recipe && dependsOn(recipe)],
    queryFn: () => api.againstLive(run?.id ?? 0, recipe as NonNullable<typeof recipe>, sheet),
    enabled: wanted && run !== null && recipe !== null && recipe !== undefined && baked !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
  });
}

/** How far the two are apart, map by map. */
export function AgainstLegend() {
  const label = useMapLabels();
  const { compare } = useFinish();
  const run = useShownRun();
  const { data, error, isFetching } = useAgainstLive();
  if (compare === "off" || (!data && !error && !isFetching)) return null;
  return (
    <div
      role="status"
      aria-label="Baked against live"
      data-busy={isFetching}
      className="pointer-events-auto rounded bg-black/60 px-2 py-0.5 text-[#f4f4f4]"
    >
      {isFetching && <span>Working out the live finish at the size of run {run?.number}</span>}
      {error && <span>{error.message}</span>}
      {data && !isFetching && (
        <details>
          <summary className="cursor-pointer">
            Run {run?.number} against live at {data.size}: mean differences up to{" "}
            <span className="num">{Math.max(0, ...data.differences.map((d) => d.mean)).toFixed(2)}</span> of
            255
          </summary>
          <table>
            <ApartHead of="Map" />
            <tbody>
              {data.differences.map((d) => (
                <tr key={d.map} data-map={d.map} data-mean={d.mean}>
                  <th scope="row" className="text-left font-normal">
                    {label(d.map)}
                  </th>
                  <td className="num pl-3 text-right">{d.mean.toFixed(2)}</td>
                  <td className="num pl-3 text-right">{d.p99.toFixed(1)}</td>
                  <td className="num pl-3 text-right">{d.max.toFixed(0)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
    </div>
  );
}
