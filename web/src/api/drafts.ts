// The recipe as it is edited: shown at once, written down in the browser at once, sent when the hand rests. It is let go of only when
// the server has it: through a failing server, a reload, and another tab's edits. Each asset has its own.
import { useCallback, useEffect } from "react";
import { create } from "zustand";
import { api, RequestFailed } from "./client";
import { type Draft, forget, left, write } from "./draft-store";
import { difference, withChanges } from "./patch";
import { client } from "./query-client";
import type { AssetView, Conflict, Recipe } from "./types";

/** Places of an asset that were changed elsewhere meanwhile: a choice is asked for. */
interface Clash {
  asset: number;
  conflicts: Conflict[];
  /** The asset as it stands on the server, to choose against. */
  theirs: AssetView;
}

interface Drafts {
  drafts: Readonly<Record<number, Draft>>;
  /** Why the last try to send one failed; null while all is well. */
  failing: string | null;
  clash: Clash | null;
  /** Why the server took an edit back; shown once. */
  refused: string | null;
}

export const useDrafts = create<Drafts>()(() => ({ drafts: {}, failing: null, clash: null, refused: null }));

/** The hand has come to rest after this many milliseconds. */
const REST = 260;
/** Time between tries while the server does not take it, milliseconds. */
const AGAIN = 2000;

export const assetKey = (id: number | null) => ["asset", id];

let resting: ReturnType<typeof setTimeout> | undefined;
let sending: Promise<void> = Promise.resolve();
/** Hears of every edit that was kept. */
let afterKept: (before: AssetView | undefined, now: AssetView) => void = () => undefined;

function put(draft: Draft) {
  useDrafts.setState((s) => ({ drafts: { ...s.drafts, [draft.asset]: draft } }));
  write(draft);
}

function drop(asset: number) {
  useDrafts.setState((s) => {
    const { [asset]: _, ...drafts } = s.drafts;
    return { drafts };
  });
  forget(asset);
}

/** The recipe as it stands on screen, and a way to change it. */
export function useDraft(
  asset: AssetView | undefined,
): [Recipe | undefined, (change: (r: Recipe) => Recipe) => void] {
  const draft = useDrafts((s) => (asset ? s.drafts[asset.id]?.now : undefined));
  const edit = useCallback(
    (change: (r: Recipe) => Recipe) => {
      if (!asset) return;
      const { id, revision, recipe } = asset;
      const held = useDrafts.getState().drafts[id] ?? {
        asset: id,
        base: revision,
        before: recipe,
        now: recipe,
      };
      put({ ...held, now: change(held.now) });
      sendAfter(REST);
    },
    [asset],
  );
  return [draft ?? asset?.recipe, edit];
}

/** Takes up what a reload or a closed tab left unsent, and tells `kept` of every edit that was kept. Called once, by the shell. */
export function useKeeping(
  asset: number | undefined,
  kept: (before: AssetView | undefined, now: AssetView) => void,
) {
  useEffect(() => {
    afterKept = kept;
  }, [kept]);
  useEffect(() => {
    if (asset === undefined || useDrafts.getState().drafts[asset]) return;
    left(asset).then((draft) => {
      if (!draft || useDrafts.getState().drafts[asset]) return;
      put(draft);
      flush();
    });
  }, [asset]);
}

function sendAfter(milliseconds: number) {
  clearTimeout(resting);
  resting = setTimeout(flush, milliseconds);
}

function flush() {
  clearTimeout(resting);
  resting = undefined;
  sending = sending.then(sendAll);
}

/** Keeps what was edited without waiting for the hand to rest: what comes next is an undo step of its own. */
export function keepNow() {
  if (resting !== undefined) flush();
}

/** Waits until what was edited is kept, or cannot be kept now. True when all of it is kept. */
export async function settled(): Promise<boolean> {
  keepNow();
  await sending;
  return Object.keys(useDrafts.getState().drafts).length === 0;
}

async function sendAll() {
  let failing: string | null = null;
  for (const { asset } of Object.values(useDrafts.getState().drafts)) {
    failing = (await send(asset)) ?? failing;
  }
  useDrafts.setState({ failing });
}

/** Sends an asset's edits; why they are not with the server now, when they are not. */
async function send(id: number): Promise<string | null> {
  const { drafts, clash } = useDrafts.getState();
  const draft = drafts[id];
  if (!draft) return null;
  // While a choice is asked for nothing of the asset is sent.
  if (clash?.asset === id) return "Changed in two places";
  const changes = difference(draft.before, draft.now);
  if (changes.length === 0) {
    drop(id);
    return null;
  }
  const known = client.getQueryData<AssetView>(assetKey(id));
  try {
    const asset = await api.change(id, draft.base, changes);
    took(draft, asset);
    afterKept(known, asset);
    return null;
  } catch (error) {
    return refused(id, error);
  }
}

/** The server has it. What was edited meanwhile is an edit of what it has now. */
function took(sent: Draft, asset: AssetView) {
  const since = difference(sent.now, useDrafts.getState().drafts[asset.id]?.now ?? sent.now);
  const { id, revision, recipe } = asset;
  if (since.length > 0) put({ asset: id, base: revision, before: recipe, now: withChanges(recipe, since) });
  else drop(id);
  client.setQueryData(assetKey(id), asset);
}

async function refused(id: number, error: unknown): Promise<string | null> {
  const told = error instanceof Error ? error.message : String(error);
  const { status, conflicts } = error instanceof RequestFailed ? error : { status: 0, conflicts: [] };
  if (status === 409 && conflicts.length > 0 && useDrafts.getState().clash === null) {
    const theirs = await api.asset(id).catch(() => null);
    if (theirs) {
      client.setQueryData(assetKey(id), theirs);
      useDrafts.setState({ clash: { asset: id, conflicts, theirs } });
      return told;
    }
  }
  // No answer, no room on the disk, a choice that is still open: it is sent again.
  if (status === 0 || status >= 500 || status === 409) {
    sendAfter(AGAIN);
    return told;
  }
  // What the server will never take goes, and the page says why.
  drop(id);
  useDrafts.setState({ refused: told });
  await client.invalidateQueries({ queryKey: assetKey(id) });
  return null;
}

/** Settles a clash: every place keeps this side's value or takes the other's. */
export function resolve(mine: ReadonlySet<string>) {
  const { drafts, clash } = useDrafts.getState();
  const draft = clash && drafts[clash.asset];
  useDrafts.setState({ clash: null });
  if (!draft) return;
  const { conflicts, theirs } = clash;
  const at = (c: { at: string[] }) => JSON.stringify(c.at);
  const given = new Set(conflicts.filter((c) => !mine.has(at(c))).map(at));
  const changes = difference(draft.before, draft.now).filter((c) => !given.has(at(c)));
  put({
    asset: draft.asset,
    base: theirs.revision,
    before: theirs.recipe,
    now: withChanges(theirs.recipe, changes),
  });
  flush();
}
