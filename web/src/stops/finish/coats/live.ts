// What follows the hand at Finish: the maps that a lit model needs, and the finishes in words and shares. One question is under way at a
// time, and the newest wish is asked next.
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { create } from "zustand";
import { api } from "../../../api/client";
import { looking } from "../../../api/looks";
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
  /** Milliseconds from the wish to the first of its pictures. */
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

const COLOR = "base-color";

/** The colour alone, as a data URL. */
async function colorOf({ asset, recipe, sheet }: Wish): Promise<string> {
  const picture = await api.look(asset, recipe, COLOR, sheet);
  return new Promise((done, fail) => {
    const reader = new FileReader();
    reader.onload = () => done(String(reader.result));
    reader.onerror = () => fail(reader.error);
    reader.readAsDataURL(picture);
  });
}

async function follow(wish: Wish) {
  next = wish;
  if (asking) return;
  asking = true;
  useLiveMaterial.setState({ busy: true });
  while (next) {
    const now: Wish = next;
    next = null;
    try {
      const of = `${now.asset} ${now.sheet}`;
      const { pictures: before, of: shown } = useLiveMaterial.getState();
      // The colour goes ahead: it is what a hand on a coat looks for. A material that is not there yet comes whole.
      if (shown === of && before.length > 0) {
        const color = await looking(colorOf(now));
        const pictures = before.map((p) => (p.map === COLOR ? { ...p, picture: color } : p));
        useLiveMaterial.setState({ pictures, took: performance.now() - now.since, failed: null });
        if (next) continue;
      }
      const pictures = await looking(api.material(now.asset, now.recipe, now.sheet));
      const took = performance.now() - now.since;
      useLiveMaterial.setState(({ took: first }) => ({
        of,
        pictures,
        took: shown === of ? first : took,
        failed: null,
      }));
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
  // Each coat is pictured by itself: where it lies and how much of it there is does not show.
  const pictured = kept && { ...kept, coats: kept.coats?.map(({ name, sets }) => ({ name, sets })) };
  return useQuery({
    queryKey: ["coat-pictures", asset?.id, pictured && JSON.stringify(pictured), asset?.recipe.low],
    queryFn: () => (asset && finish ? api.coatPictures(asset.id, asset.recipe, finish) : []),
    enabled: open && kept !== undefined && (asset?.recipe.low.length ?? 0) > 0,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}
