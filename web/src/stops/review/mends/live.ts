// The maps of the run on screen with the mends of the recipe as it stands, drawn by the program while they are made.
import { useEffect, useMemo, useRef } from "react";
import { api, RequestFailed } from "../../../api/client";
import { looking } from "../../../api/looks";
import { type ShownRun, say, useRecipe, useShownRun } from "../../../api/queries";
import type { Mend, Mends } from "../../../api/types";
import { useShownPicture } from "../../../stages/sheet/shown";
import { insteadOf, show } from "../../../stages/view";
import { useMendHand } from "./state";

const NONE: Mends = { strokes: [] };

/** The recipe's mends with those that are on their way into it. */
export function withHand(mends: Mends | undefined, coming: readonly Mend[]): Mends {
  const { strokes, hidden } = mends ?? NONE;
  return coming.length > 0
    ? { strokes: [...strokes, ...coming] }
    : { strokes, ...(hidden ? { hidden } : {}) };
}

/** What of mends a map shows: their order counts, what lies beneath does not. */
const shownOf = (mends: Mends | undefined, map: string) =>
  mends?.hidden
    ? "[]"
    : JSON.stringify(
        (mends?.strokes ?? []).filter((m) => m.maps.includes(map)).map((m) => ({ ...m, beneath: null })),
      );

/** The mends that are to be shown of a run's map where its file does not show them already. */
export function mendsToShow(run: ShownRun, map: string, now: Mends, before: boolean): Mends | null {
  const own = run.report?.recipe.mends;
  const wanted = before ? { ...now, hidden: true } : now;
  return shownOf(own, map) === shownOf(wanted, map) ? null : wanted;
}

/** Pictures that were drawn lately, the newest last: switching between two of them asks for nothing. */
const KEPT = 6;

interface Drawn {
  key: string;
  url: string;
}

/** Puts mended pictures in the place of the run's own, for as long as the caller is mounted. */
export function useMendedPictures() {
  const run = useShownRun();
  const [recipe] = useRecipe();
  const { map, number: sheet } = useShownPicture();
  const { stroke, pending, before } = useMendHand();
  const drawn = useRef<Drawn[]>([]);
  const asking = useRef(false);
  /** The caller is gone: what is answered from then on is for nobody. */
  const gone = useRef(false);
  const mends = useMemo(
    () => withHand(recipe?.mends, stroke ? [...pending, stroke] : pending),
    [recipe?.mends, pending, stroke],
  );
  const wanted = useMemo(
    () => (run && map ? mendsToShow(run, map, mends, before) : null),
    [run, map, mends, before],
  );
  const latest = useRef({ run, map, sheet, wanted });
  latest.current = { run, map, sheet, wanted };
  // biome-ignore lint/correctness/useExhaustiveDependencies: they are read from the ref, as the newest of them counts
  useEffect(() => {
    const put = (name: string, url: string) => show({ instead: { [name]: url } });
    const draw = async () => {
      // Whatever is wished by the time an answer is there is asked for next; what was wished meanwhile is passed over.
      while (true) {
        const { run, map, sheet, wanted } = latest.current;
        if (!run || !map || !wanted) return show({ instead: {} });
        const name = insteadOf(run.id, map, sheet);
        const key = `${name} ${wanted.hidden ? "hidden" : shownOf(wanted, map)}`;
        const known = drawn.current.find((one) => one.key === key);
        if (known) {
          put(name, known.url);
          return;
        }
        const picture = await looking(api.mended(run.id, map, sheet, wanted));
        if (gone.current) return;
        const url = URL.createObjectURL(picture);
        drawn.current.push({ key, url });
        put(name, url);
        for (const old of drawn.current.splice(0, Math.max(0, drawn.current.length - KEPT)))
          URL.revokeObjectURL(old.url);
      }
    };
    if (asking.current) return;
    asking.current = true;
    draw()
      .catch((fault) => {
        if (gone.current) return;
        show({ instead: {} });
        if (!(fault instanceof RequestFailed && fault.status === 0)) say(fault);
      })
      .finally(() => {
        asking.current = false;
      });
  }, [run, map, sheet, wanted]);
  useEffect(() => {
    gone.current = false;
    return () => {
      gone.current = true;
      show({ instead: {} });
      for (const { url } of drawn.current.splice(0)) URL.revokeObjectURL(url);
    };
  }, []);
}
