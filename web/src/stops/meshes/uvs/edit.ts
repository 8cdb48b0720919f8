// Edits of UVs: each is a step of the low-poly's file, and the proof follows.
import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { api } from "../../../api/client";
import { useOpen } from "../../../api/open";
import { useProgress } from "../../../api/progress";
import { say, settled, useActions, useAsset } from "../../../api/queries";
import type { UvOrder } from "../../../api/types";
import { show } from "../../../stages/view";
import { setUvs, useUvs } from "./state";

/** Edits that change where texels lie, so that the maps have to follow. */
const MOVES: readonly UvOrder["edit"][] = [
  "unwrap",
  "relax",
  "move",
  "density",
  "straighten",
  "stitch",
  "pack",
  "stack",
];

/** Whether a hand is at the UVs. */
export function useAtUvs() {
  const there = useOpen((s) => s.stop === "meshes");
  const hand = useUvs((s) => s.hand);
  return there && hand !== null;
}

/** Edits the UVs; tells whether it was done. */
export function useUvEdit() {
  const asset = useAsset().data;
  const { put, bake } = useActions();
  const id = asset?.id ?? null;
  const baked = (asset?.run_count ?? 0) > 0;
  const sculpt = asset?.meshes.some((mesh) => mesh.role === "high") ?? false;
  return useCallback(
    async (order: UvOrder): Promise<boolean> => {
      if (id === null || useUvs.getState().busy) return false;
      setUvs({ busy: true });
      useProgress.setState({ relaxing: null });
      try {
        await settled();
        put(await api.editUvs(id, order));
        if (!MOVES.includes(order.edit)) return true;
        // Triangles keep their numbers, so what is chosen stays chosen; maps of the runs so far lie on other UVs.
        if (baked) show({ look: "low" });
        // The next edit does not wait for it.
        if (sculpt) void bake("proof");
        return true;
      } catch (fault) {
        say(fault);
        return false;
      } finally {
        setUvs({ busy: false });
      }
    },
    [id, baked, sculpt, put, bake],
  );
}

export function useUvState() {
  const asset = useAsset().data;
  return useQuery({
    queryKey: ["uv-state", asset?.id, asset?.recipe.low],
    queryFn: () => api.uvState(asset?.id ?? 0),
    enabled: asset?.recipe.low.length === 1,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}
