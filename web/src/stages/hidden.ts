// Parts that the stages leave out of each mesh: those hidden, parts of the sculpt that only hidden parts see, and all but a solo pair.
import { useMemo } from "react";
import { useAsset } from "../api/queries";
import { useView } from "./view";

export interface Hidden {
  low: ReadonlySet<string>;
  high: ReadonlySet<string>;
}

export function useHidden(): Hidden {
  const pairs = useAsset().data?.pairs;
  const hidden = useView((s) => s.hidden);
  const solo = useView((s) => s.solo);
  return useMemo(() => {
    const low = new Set<string>();
    const high = new Set(hidden);
    const shown = new Set<string>();
    for (const pair of pairs ?? []) {
      const off = hidden.has(pair.low) || (solo !== null && pair.number !== solo);
      if (off) low.add(pair.low);
      for (const part of pair.high) if (!off) shown.add(part.name);
    }
    for (const pair of pairs ?? [])
      for (const part of pair.high) if (!shown.has(part.name)) high.add(part.name);
    return { low: pairs && pairs.length > 0 ? low : hidden, high };
  }, [pairs, hidden, solo]);
}
