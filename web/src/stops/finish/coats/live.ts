// What follows the hand at Finish: the maps that a lit model needs, and the finishes in words and shares. One question is under way at a
// time, and the newest wish is asked next.
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import { api } from "../../../api/client";
import { useAsset, useRecipe } from "../../../api/queries";
import type { FinishView, Recipe, Swatch } from "../../../api/types";
import { useView } from "../../../stages/view";
import { useAtFinish } from "../edit";
import { useFinish } from "../state";

interface LiveMaterial {
  /** Asset and sheet that the pictures are of. */
  of: string | null;
  pictures: readonly Swatch[];
  views: readonly FinishView[];
  failed: string | null;
  busy: boolean;
  /** Milliseconds from the wish to the pictures. */
  took: number;
}

export const useLiveMaterial = create<LiveMaterial>()(() => ({
  of: null,
  pictures: [],
  views: [],
  failed: null,
  busy: false,
  took: 0,
}));

interface Wish {
  asset: number;
  recipe: Recipe;
  sheet: number;
  since: number;
}

let asking = false;
let next: Wish | null = null;

async function follow(wish: Wish) {
  next = wish;
  if (asking) return;
  asking = true;
  useLiveMaterial.setState({ busy: true });
  while (next) {
    const now: Wish = next;
    next = null;
    try {
      const pictures = await api.material(now.asset, now.recipe, now.sheet);
      const took = performance.now() - now.since;
      useLiveMaterial.setState({ of: `${now.asset} ${now.sheet}`, pictures, took, failed: null });
      if (next) continue;
      useLiveMaterial.setState({ views: await api.finishes(now.asset, now.recipe) });
    } catch (error) {
      useLiveMaterial.setState({ failed: error instanceof Error ? error.message : String(error) });
    }
  }
  asking = false;
  useLiveMaterial.setState({ busy: false });
}

/** What of a recipe finishes can depend on. */
export function dependsOn(recipe: Recipe) {
  const { maps, exceptions, asset, ...rest } = recipe;
  return JSON.stringify([rest, maps.filter((m) => m.map === "id" || m.map === "normal")]);
}

/** Keeps the material in step with the recipe on screen. Stands once, in the model stage. */
export function useFollowingMaterial() {
  const asset = useAsset().data;
  const [recipe] = useRecipe();
  const wanted = useAtFinish() && (recipe?.finishes?.length ?? 0) > 0;
  const sheet = useView((s) => s.sheet);
  const key = recipe && dependsOn(recipe);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what finishes do not depend on asks for nothing
  useEffect(() => {
    if (!wanted || !asset || !recipe || asset.recipe.low.length === 0) return;
    follow({ asset: asset.id, recipe, sheet, since: performance.now() });
  }, [wanted, asset?.id, sheet, key]);
}

/** The pictures of the asset and sheet on screen; none while they are of another. */
export function useMaterialPictures(): readonly Swatch[] {
  const asset = useAsset().data?.id;
  const sheet = useView((s) => s.sheet);
  const live = useLiveMaterial();
  return live.of === `${asset} ${sheet}` ? live.pictures : NONE;
}
const NONE: readonly Swatch[] = [];

/** The open finish in words and shares. */
export function useFinishView(name: string): FinishView | undefined {
  return useLiveMaterial((s) => s.views.find((f) => f.name === name));
}

/** A small picture of each coat of a finish, by name; of the base by no name. */
export function useCoatPictures(finish: string | undefined) {
  const asset = useAsset().data;
  const open = useFinish((s) => s.tab === "finishes");
  const kept = asset?.recipe.finishes?.find((f) => f.name === finish);
  return useQuery({
    queryKey: ["coat-pictures", asset?.id, kept && JSON.stringify(kept), asset?.recipe.low],
    queryFn: () => (asset && finish ? api.coatPictures(asset.id, asset.recipe, finish) : []),
    enabled: open && kept !== undefined && (asset?.recipe.low.length ?? 0) > 0,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}
