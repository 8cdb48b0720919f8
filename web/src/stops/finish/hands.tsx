// Hands on the stages while a mask is open: a click grows a range to hold the place, or gives an example, or picks its region; with Alt
// it leaves the place out.
import { useCallback, useEffect, useMemo, useRef } from "react";
import { toast } from "sonner";
import { api } from "../../api/client";
import { keepNow, say, useAsset, useRecipe } from "../../api/queries";
import type { PickedPlace, Recipe } from "../../api/types";
import { type Held, useStageClick } from "../../stages/clicks";
import type { Hover } from "../../stages/hover";
import { type Tool, useTool } from "../../stages/model/scene";
import { useOpenMask, withTerm } from "./edit";
import { placeOf } from "./probe";
import { setFinish, useFinish } from "./state";
import { asked } from "./target";

/** The asset, the recipe as it stands and the open mask, for hands that outlive a drawing of the page. */
function useNow() {
  const asset = useAsset().data?.id;
  const [recipe, edit] = useRecipe();
  const mask = useOpenMask();
  const now = useRef({ asset, recipe, edit, mask });
  useEffect(() => {
    now.current = { asset, recipe, edit, mask };
  });
  return now;
}

type Now = ReturnType<typeof useNow>["current"];

export function Hands() {
  const hand = useFinish((s) => s.hand);
  const now = useNow();
  const click = useCallback(
    (place: Hover, held: Held) => {
      const at = placeOf(place);
      if (!at) return;
      if (hand === "range") moveEnds(now.current, at, held).catch(say);
      if (hand === "examples") addExample(now.current, at, held).catch(say);
      if (hand === "pick") pick(now.current, [at], held).catch(say);
    },
    [hand, now],
  );
  useStageClick(hand === null || hand === "paint" ? null : click);
  const sweep = useMemo(() => (hand === "pick" ? sweeping(() => now.current) : null), [hand, now]);
  useTool(sweep);
  return null;
}

/** Grows the range of the term in hand to hold a place; with Alt cuts it to leave the place out. */
async function moveEnds({ asset, recipe, edit, mask }: Now, at: PickedPlace, { altKey }: Held) {
  if (asset === undefined || !recipe || !mask) return;
  const { term } = useFinish.getState();
  const found = (await api.maskAt(asset, asked(recipe, mask.name), mask.name, at)).terms[term];
  if (!found || found.signal === null) return void toast("The signal is not to be had at this place.");
  const { from, to } = altKey ? found.leaving_out : found.including;
  keepNow();
  edit((r) => withTerm(r, mask.name, term, (t) => ({ ...t, from, to })));
  keepNow();
}

async function addExample({ asset, recipe }: Now, at: PickedPlace, { altKey }: Held) {
  const examples = [...useFinish.getState().examples, { at, wanted: !altKey }];
  setFinish({ examples });
  await propose(asset, recipe);
}

/** Asks for places that explain the examples; the newest answer counts. */
export async function propose(asset: number | undefined, recipe: Recipe | undefined) {
  const { examples } = useFinish.getState();
  if (asset === undefined || !recipe || examples.length === 0) return setFinish({ proposals: null });
  setFinish({ asking: true });
  try {
    const proposals = await api.proposals(asset, { recipe, examples: [...examples] });
    if (useFinish.getState().examples === examples) setFinish({ proposals });
  } finally {
    setFinish({ asking: false });
  }
}

/** Puts the regions of places into the term in hand; Shift adds, Alt takes away. */
async function pick({ asset, recipe, edit, mask }: Now, places: readonly PickedPlace[], held: Held) {
  if (asset === undefined || !recipe || !mask) return;
  const { term } = useFinish.getState();
  const signal = mask.place.terms[term]?.signal;
  if (signal?.kind !== "region") return;
  const asked = places.map((at) => api.regionAt(asset, recipe, signal.by, at));
  const found = (await Promise.all(asked)).flatMap(({ name }) => name ?? []);
  const picked = [...new Set(found)];
  if (picked.length === 0) return void toast("No region lies at this place.");
  const kept = held.altKey
    ? signal.names.filter((name) => !picked.includes(name))
    : held.shiftKey
      ? [...signal.names, ...picked.filter((name) => !signal.names.includes(name))]
      : picked;
  keepNow();
  edit((r) => withTerm(r, mask.name, term, (t) => ({ ...t, signal: { ...signal, names: kept } })));
  keepNow();
}

/** A drag over the model picks every region that it passes, once the hand lets go. */
function sweeping(now: () => Now): Tool {
  let places: PickedPlace[] = [];
  let held: Held = { altKey: false, shiftKey: false };
  let last = -1;
  const pass = (at: { triangle: number; point: [number, number, number] } | null) => {
    if (!at || at.triangle === last || places.length >= 64) return;
    last = at.triangle;
    places.push({ triangle: at.triangle, point: at.point });
  };
  return {
    press: (at, e) => {
      places = [];
      last = -1;
      held = { altKey: e.altKey, shiftKey: e.shiftKey };
      pass(at);
    },
    drag: (at) => pass(at),
    release: () => {
      pick(now(), places, held).catch(say);
    },
    hover: () => undefined,
  };
}
