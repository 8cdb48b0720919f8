// What follows the hand: the envelope of the recipe as it stands on screen, and while it is not kept yet one map of it. One question
// is under way at a time, and the newest wish is asked next, so that a slow machine falls behind by one answer and no more.
import { useEffect } from "react";
import { create } from "zustand";
import { api } from "../../api/client";
import { looking } from "../../api/looks";
import { useOpen } from "../../api/open";
import { useProofs } from "../../api/proofs";
import { hasMaps, useAsset, useRecipe } from "../../api/queries";
import type { AssetView, Recipe, Stroke } from "../../api/types";
import { show, useView } from "../../stages/view";
import { type EnvelopeData, readEnvelope } from "./envelope-data";
import { useReach } from "./state";

interface Live {
  envelope: EnvelopeData | null;
  /** The asset the envelope is of. */
  of: number | null;
  failed: string | null;
  busy: boolean;
  /** Where rays are plumb, as a picture. */
  plumb: string | null;
  /** The stroke under the hand. */
  stroke: Stroke | null;
}

export const useLive = create<Live>()(() => ({
  envelope: null,
  of: null,
  failed: null,
  busy: false,
  plumb: null,
  stroke: null,
}));

interface Wish {
  asset: number;
  recipe: Recipe;
  needles: number;
  part: string | null;
  /** A map to look at, while the recipe is not kept. */
  map: string | null;
  sheet: number;
  plumb: boolean;
  since: number;
}

let asking = false;
let next: Wish | null = null;
/** What the envelope and the mask were last asked for. */
let asked = "";
let masked = "";

function wishKey(wish: Wish) {
  const { low, high, cage, pairing, hand_pairs, endings, reach, direction, back_faces, hit } = wish.recipe;
  return JSON.stringify([
    wish.asset,
    [low, high, cage, pairing, hand_pairs, endings, reach, direction, back_faces, hit],
    [wish.needles, wish.part],
  ]);
}

/** Maps that a finish bends, but does not make. */
const BENT = ["normal", "displacement", "ao"];

/** The recipe of a look. What a finish measures follows from every ray, and would hold the hand up: the sculpt's own surface is shown, and
 *  the proof that follows has the finish again. */
export function forLook(recipe: Recipe, map: string): Recipe {
  return BENT.includes(map) ? { ...recipe, finishes: [] } : recipe;
}

async function serve(wish: Wish) {
  const key = wishKey(wish);
  if (wish.map) {
    const blob = await api.look(wish.asset, forLook(wish.recipe, wish.map), wish.map, wish.sheet);
    const old = useView.getState().draft;
    const url = URL.createObjectURL(blob);
    const took = performance.now() - wish.since;
    show({ draft: { map: wish.map, sheet: wish.sheet, url, took } });
    if (old) setTimeout(() => URL.revokeObjectURL(old.url), 4000);
  }
  if (key !== asked) {
    const envelope = readEnvelope(await api.envelope(wish.asset, wish.recipe, wish.needles, wish.part));
    asked = key;
    useLive.setState({ envelope, of: wish.asset, failed: null });
  }
  if (wish.plumb && key !== masked && useLive.getState().envelope?.header.plumb) {
    const old = useLive.getState().plumb;
    useLive.setState({
      plumb: URL.createObjectURL(await api.plumbMask(wish.asset, wish.recipe, wish.sheet)),
    });
    masked = key;
    if (old) setTimeout(() => URL.revokeObjectURL(old), 4000);
  }
}

async function follow(wish: Wish) {
  next = wish;
  if (asking) return;
  asking = true;
  useLive.setState({ busy: true });
  while (next) {
    const now = next;
    next = null;
    try {
      await looking(serve(now));
    } catch (error) {
      asked = wishKey(now);
      useLive.setState({ failed: error instanceof Error ? error.message : String(error), envelope: null });
    }
  }
  asking = false;
  useLive.setState({ busy: false });
}

/** An envelope lies between a low-poly and a sculpt. */
const hasEnvelope = (asset: AssetView) => asset.missing === null && asset.recipe.high.length > 0;

/** Keeps the envelope and the look in step with the recipe and the stroke under the hand. Called once, by the shell. */
export function useFollowing() {
  const asset = useAsset().data;
  const [recipe] = useRecipe();
  const stroke = useLive((s) => s.stroke);
  const { needles, needlePart, brush } = useReach();
  const map = useView((s) => s.map);
  const sheet = useView((s) => s.sheet);
  const wanted = useProofs((s) => s.follow);
  const atReach = useOpen((s) => s.stop === "reach");
  const kept = asset?.recipe;
  const newest = asset?.runs.find(hasMaps)?.id;
  // biome-ignore lint/correctness/useExhaustiveDependencies: a run that was finished shows what the look showed
  useEffect(() => show({ draft: null }), [newest, asset?.id]);
  const count = atReach ? needles : 0;
  const painting = atReach && (brush === "plumb" || brush === "averaged");
  useEffect(() => {
    if (!asset || !recipe || !kept || !hasEnvelope(asset)) {
      useLive.setState({ envelope: null, of: null });
      show({ draft: null });
      asked = "";
      return;
    }
    const draft = stroke ? withStroke(recipe, stroke) : recipe;
    const loose = atReach && wanted && (draft !== kept || stroke !== null);
    follow({
      asset: asset.id,
      recipe: draft,
      needles: count,
      part: needlePart,
      map: loose ? map : null,
      sheet,
      plumb: painting,
      since: performance.now(),
    });
  }, [asset, recipe, kept, stroke, atReach, wanted, count, needlePart, map, sheet, painting]);
}

export function withStroke(recipe: Recipe, stroke: Stroke): Recipe {
  return { ...recipe, reach: { ...recipe.reach, strokes: [...(recipe.reach.strokes ?? []), stroke] } };
}

/** The envelope of the asset that is open. */
export function useEnvelope(): EnvelopeData | null {
  const asset = useOpen((s) => s.asset);
  return useLive((s) => (s.of === asset ? s.envelope : null));
}
