// What is being measured, with the time that it may still take.
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../../api/client";
import { useAsset } from "../../api/queries";
import { secondsLeft } from "./time-left";

/** Milliseconds that a wait lasts before it is told, and between two questions after how far it is. */
const PATIENCE = 400;
const EVERY = 300;

/** Tells of a wait while there is one. */
export function Waiting({ for: busy, what = "measuring" }: { for: boolean; what?: string }) {
  const asset = useAsset().data?.id;
  const [since, setSince] = useState<number | null>(null);
  useEffect(() => {
    setSince(null);
    if (!busy) return;
    const begun = performance.now();
    const timer = setTimeout(() => setSince(begun), PATIENCE);
    return () => clearTimeout(timer);
  }, [busy]);
  const { data } = useQuery({
    queryKey: ["measuring", asset, since],
    queryFn: async () => {
      const { share } = asset === undefined ? { share: null } : await api.measuring(asset);
      return { share, at: performance.now() };
    },
    enabled: since !== null,
    refetchInterval: EVERY,
    gcTime: 0,
  });
  if (since === null) return null;
  const left = data ? secondsLeft(data.share ?? null, data.at - since) : null;
  return (
    <span className="num">
      {" "}
      {what}…{left !== null && ` about ${left} s left`}
    </span>
  );
}
