// What follows the hand: the open mask of the recipe as it stands on screen, as a picture and as figures. One question is under way at
// a time, and the newest wish is asked next.

import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";
import { create } from "zustand";
import { api } from "../../api/client";
import { looking } from "../../api/looks";
import { useAsset, useRecipe, useShownRun } from "../../api/queries";
import type { Finding, MaskView, Recipe } from "../../api/types";
import { useView } from "../../stages/view";
import { useAtFinish, useOpenMask } from "./edit";
import { useFinish } from "./state";
import { asked, COAT_PLACE } from "./target";

export interface MaskPicture {
  url: string;
  /** Milliseconds from the wish to the picture. */
  took: number;
}

interface Live {
  /** What picture and figures are of. */
  of: string | null;
  picture: MaskPicture | null;
  /** The picture before the last change. */
  before: MaskPicture | null;
  view: MaskView | null;
  failed: string | null;
  busy: boolean;
}

export const useLiveMask = create<Live>()(() => ({
  of: null,
  picture: null,
  before: null,
  view: null,
  failed: null,
  busy: false,
}));

interface Wish {
  asset: number;
  recipe: Recipe;
  mask: string;
  /** Finish and coat that are open, where the mask is the place of one. */
  coat: string;
  sheet: number;
  since: number;
}

/** Tells the place of one coat from that of another. */
const useCoatKey = () => useFinish((s) => (s.tab === "finishes" ? `${s.finish} ${s.coat}` : ""));

/** A hand that rests for so many milliseconds ends a change: the next one is compared with what stands now. */
const REST = 900;

let asking = false;
let next: Wish | null = null;
let lastWish = 0;

const keyOf = (wish: Wish) => `${wish.asset} ${wish.sheet} ${wish.mask} ${wish.coat}`;
const letGo = (picture: MaskPicture | null) =>
  picture && setTimeout(() => URL.revokeObjectURL(picture.url), 4000);

async function serve(wish: Wish) {
  const blob = await api.look(wish.asset, asked(wish.recipe, wish.mask), `mask:${wish.mask}`, wish.sheet);
  const { of, picture, before } = useLiveMask.getState();
  const made = { url: URL.createObjectURL(blob), took: performance.now() - wish.since };
  const same = of === keyOf(wish);
  const begins = wish.since - lastWish > REST;
  lastWish = wish.since;
  // What stood when this change began stays to compare with; what came in between goes.
  const compared = !same ? null : begins || !before ? picture : before;
  if (picture !== compared) letGo(picture);
  if (before !== compared) letGo(before);
  useLiveMask.setState({ of: keyOf(wish), picture: made, before: compared, failed: null });
}

async function follow(wish: Wish) {
  next = wish;
  if (asking) return;
  asking = true;
  useLiveMask.setState({ busy: true });
  while (next) {
    const now: Wish = next;
    next = null;
    try {
      await looking(serve(now));
    } catch (error) {
      const failed = error instanceof Error ? error.message : String(error);
      useLiveMask.setState({ failed, of: keyOf(now), picture: null });
    }
    // Figures of what is still wanted only.
    if (next) continue;
    const view = await api.mask(now.asset, asked(now.recipe, now.mask), now.mask).catch(() => null);
    useLiveMask.setState({ view });
  }
  asking = false;
  useLiveMask.setState({ busy: false });
}

/** What of a recipe a mask can depend on: of its finishes the place of the open coat, if that is asked for. */
function dependsOn(recipe: Recipe, mask: string | null) {
  const { maps, exceptions, asset, finishes, ...rest } =
    mask === COAT_PLACE ? asked(recipe, COAT_PLACE) : recipe;
  return JSON.stringify([rest, maps.filter((m) => m.map === "id")]);
}

/** Keeps picture and figures in step with the recipe on screen. Stands once, in the model stage. */
export function useFollowingMask(recipe: Recipe | undefined) {
  const asset = useAsset().data;
  const at = useAtFinish();
  const mask = useOpenMask()?.name ?? null;
  const sheet = useView((s) => s.sheet);
  const coat = useCoatKey();
  const wanted = recipe && dependsOn(recipe, mask);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what a mask does not depend on asks for nothing
  useEffect(() => {
    if (!at || !asset || !recipe || mask === null || asset.recipe.low.length === 0) return;
    follow({ asset: asset.id, recipe, mask, coat, sheet, since: performance.now() });
  }, [at, asset?.id, mask, coat, sheet, wanted]);
}

/** Picture and figures of the open mask; null while they are of another. */
export function useShownMask(): Live | null {
  const asset = useAsset().data?.id;
  const mask = useOpenMask()?.name;
  const sheet = useView((s) => s.sheet);
  const coat = useCoatKey();
  const live = useLiveMask();
  return live.of === `${asset} ${sheet} ${mask} ${coat}` ? live : null;
}

/** The picture that is to be seen: as it stands, or as it was before the last change. */
export function useMaskPicture(): MaskPicture | null {
  const live = useShownMask();
  const before = useFinish((s) => s.before);
  return (before && live?.before) || (live?.picture ?? null);
}

/** A small picture of every mask of the recipe as it is kept. */
export function useMaskPictures() {
  const asset = useAsset().data;
  const masks = asset?.recipe.masks ?? [];
  return useQuery({
    queryKey: ["mask-pictures", asset?.id, asset && dependsOn(asset.recipe, null)],
    queryFn: () => (asset ? api.maskPictures(asset.id, asset.recipe) : []),
    enabled: masks.length > 0 && (asset?.recipe.low.length ?? 0) > 0,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    retry: false,
    placeholderData: (old, before) => (before?.queryKey[1] === asset?.id ? old : undefined),
  });
}

const OF_FINISH = ["mask-unusable", "mask-empty", "finish-unusable", "finish-picture"];

/** What the run that is looked at found in masks and finishes, and how many of them there are. */
export function useFinishFindings(): { findings: Finding[]; made: number } {
  const found = useShownRun()?.report?.findings;
  const [recipe] = useRecipe();
  const findings = useMemo(() => (found ?? []).filter((f) => OF_FINISH.includes(f.kind)), [found]);
  return { findings, made: (recipe?.masks?.length ?? 0) + (recipe?.finishes?.length ?? 0) };
}
