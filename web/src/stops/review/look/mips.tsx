// Mip levels in place of the full size: what a renderer reads at a distance, and what it mixes there.
import { useQuery } from "@tanstack/react-query";
import { api } from "../../../api/client";
import type { ShownRun } from "../../../api/queries";
import type { MipView } from "../../../api/types";
import { show, useView } from "../../../stages/view";
import { Failed } from "../../../ui/failed";
import { SliderRow } from "../../../ui/slider-row";

/** Larger levels are not shown as one picture. */
const MOST_SIDE = 4096;

export function useMips(run: ShownRun | null) {
  const sheet = useView((s) => s.sheet);
  return useQuery({
    queryKey: ["mips", run?.id, sheet],
    queryFn: () => api.mips(run?.id ?? 0, sheet),
    enabled: run !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });
}

export function Mips({ run }: { run: ShownRun }) {
  const mip = useView((s) => s.mip);
  const asked = useMips(run);
  const levels = asked.data?.filter(({ side }) => side <= MOST_SIDE) ?? [];
  if (asked.isError) return <Failed of={asked} />;
  if (asked.data && levels.length === 0) return null;
  // Without a level the slider stands at its left end, whatever the first one is.
  const at = levels.findIndex(({ level }) => level === mip) + 1;
  const now = levels[at - 1];
  return (
    <>
      <SliderRow
        label="Mip level"
        hint={now ? undefined : "Smaller sizes, as a renderer reads them at a distance."}
        min={0}
        max={Math.max(1, levels.length)}
        step={1}
        value={at}
        text={now ? `${now.side} texels per side` : "full size"}
        shown={now ? `${now.side} px` : "full"}
        onChange={(step) => show({ mip: step === 0 ? 0 : (levels[step - 1]?.level ?? 0) })}
      />
      {now && <MipWords mip={now} />}
    </>
  );
}

function MipWords({ mip }: { mip: MipView }) {
  const share = (some: number) => ((100 * some) / Math.max(1, mip.texels)).toFixed(1);
  if (mip.background + mip.islands === 0)
    return <p className="pb-1 text-xs text-ink-2">No texel mixes in anything: the padding is wide enough.</p>;
  return (
    <ul className="pb-1 text-xs text-ink-2">
      {mip.background > 0 && (
        <li className="flex items-center gap-1.5">
          <i className="bleeds-background size-3 rounded-[2px]" />
          {share(mip.background)} % of its texels mix in background
        </li>
      )}
      {mip.islands > 0 && (
        <li className="flex items-center gap-1.5">
          <i className="bleeds-island size-3 rounded-[2px]" />
          {share(mip.islands)} % mix in another island
        </li>
      )}
    </ul>
  );
}
