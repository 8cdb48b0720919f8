// Where finals are baked: on this machine, or on a cluster where one is set up.
import { useQuery } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "./client";
import { client } from "./query-client";
import type { ClusterView } from "./types";

const KEPT = "ember-ridge-finals-on";
const ASKED = { queryKey: ["clusters"], queryFn: api.clusters };

/** Whether finals are to be baked on the cluster. */
const useFinalsOn = create<{ cluster: boolean }>()(() => ({
  cluster: localStorage.getItem(KEPT) === "cluster",
}));

export function setFinalsOn(cluster: boolean) {
  localStorage.setItem(KEPT, cluster ? "cluster" : "here");
  useFinalsOn.setState({ cluster });
}

/** Clusters that are set up, at most one, and whether it answers. */
export function useClusters() {
  return useQuery({ ...ASKED, refetchInterval: 30_000 });
}

/** The cluster that the next final goes to; none where it is baked here. */
export function useFinalsCluster(): ClusterView | undefined {
  const cluster = useClusters().data?.[0];
  return useFinalsOn((s) => s.cluster) ? cluster : undefined;
}

/** Whether the next final goes to a cluster: one that was chosen may not be set up any more. */
export async function finalGoesAway(): Promise<boolean> {
  if (!useFinalsOn.getState().cluster) return false;
  return (await client.ensureQueryData(ASKED)).length > 0;
}
