// What the Deliver stop knows: the profile that is chosen, how it was changed, and the folder.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { create } from "zustand";
import { api } from "../../api/client";
import { useAsset } from "../../api/queries";
import type { DeliveryOrder, Profile, ProfileLine } from "../../api/types";

interface Deliver {
  /** Name of the profile that is chosen. */
  chosen: string;
  /** The profile as it was changed since it was chosen; null while it was not. */
  draft: Profile | null;
  /** Folders that were typed, by asset. */
  folders: Record<number, string>;
}

export const FIRST_PROFILE = "metal-rough-packed";

export const useDeliver = create<Deliver>(() => ({ chosen: FIRST_PROFILE, draft: null, folders: {} }));
export const setDeliver = useDeliver.setState;

/** A name for a copy that no other profile has: "gltf-2", and of a copy "gltf-3". */
export function copyName(name: string, taken: readonly string[]): string {
  const shorter = name.replace(/-\d+$/, "");
  const stem = taken.includes(shorter) ? shorter : name;
  for (let n = 2; ; n++) if (!taken.includes(`${stem}-${n}`)) return `${stem}-${n}`;
}

const key = ["profiles"];

export function useProfiles() {
  return useQuery({ queryKey: key, queryFn: api.profiles });
}

/** The profile in force, whether it comes with the program, and how to change it: one that does is changed as a copy. */
export function useProfile() {
  const lines = useProfiles().data;
  const { chosen, draft } = useDeliver();
  const line = lines?.find((l) => l.profile.name === chosen) ?? lines?.[0];
  const profile = draft ?? line?.profile;
  const edit = (change: Partial<Profile>) => {
    if (!line || !profile) return;
    const names = lines?.map((l) => l.profile.name) ?? [];
    const copy = draft || !line.shipped ? profile : { ...profile, name: copyName(profile.name, names) };
    setDeliver({ draft: { ...copy, ...change } });
  };
  return { line, profile, draft, edit };
}

/** Keeps profiles and takes them away. */
export function useKeeping() {
  const client = useQueryClient();
  const put = (lines: ProfileLine[]) => client.setQueryData(key, lines);
  return {
    keep: (profile: Profile) =>
      api.keepProfile(profile).then((lines) => {
        put(lines);
        setDeliver({ chosen: profile.name, draft: null });
      }),
    drop: (name: string) =>
      api.dropProfile(name).then((lines) => {
        put(lines);
        setDeliver({ chosen: FIRST_PROFILE, draft: null });
      }),
  };
}

/** A folder's name of an asset's own. */
export const folderName = (asset: string) =>
  asset
    .trim()
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, "-")
    .replace(/^-|-$/g, "") || "asset";

/** The folder that is delivered to: what was typed for the asset, or one named after it and the profile. */
export function useFolder(): [string, (folder: string) => void] {
  const asset = useAsset().data;
  const folders = useDeliver((s) => s.folders);
  const { profile } = useProfile();
  const id = asset?.id ?? 0;
  const usual = `${folderName(asset?.recipe.asset ?? "")}/${profile?.name ?? FIRST_PROFILE}`;
  return [folders[id] ?? usual, (folder) => setDeliver({ folders: { ...folders, [id]: folder } })];
}

/** What would be written of a run. */
export function usePlan(run: number | undefined) {
  const { profile } = useProfile();
  const [folder] = useFolder();
  const order: DeliveryOrder | null = profile ? { profile, folder, replace: false } : null;
  return useQuery({
    queryKey: ["delivery-plan", run, order],
    queryFn: () => api.deliveryPlan(run ?? 0, order as DeliveryOrder),
    enabled: run !== undefined && order !== null,
    retry: false,
    gcTime: 10_000,
    placeholderData: (old, before) => (before?.queryKey[1] === run ? old : undefined),
  });
}

/** Delivers a run, and has the list of deliveries and the plan told anew. */
export function useDelivering() {
  const client = useQueryClient();
  const asset = useAsset().data?.id;
  return useMutation({
    mutationFn: ({ run, order }: { run: number; order: DeliveryOrder }) => api.deliver(run, order),
    onSettled: () =>
      Promise.all([
        client.invalidateQueries({ queryKey: ["deliveries", asset] }),
        client.invalidateQueries({ queryKey: ["delivery-plan"] }),
      ]),
  });
}

export function useDeliveries() {
  const asset = useAsset().data?.id;
  return useQuery({
    queryKey: ["deliveries", asset],
    queryFn: () => api.deliveries(asset ?? 0),
    enabled: asset !== undefined,
  });
}
