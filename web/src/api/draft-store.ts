// Unsent edits as they are written down in the browser: each tab its own, so that two tabs never send one edit twice. What a tab left
// behind that was closed is taken over by the next one that opens the asset.
import type { Recipe } from "./types";

/** An edit that the server does not have yet. */
export interface Draft {
  asset: number;
  /** The revision it was made to, and the recipe of that revision. */
  base: number;
  before: Recipe;
  now: Recipe;
}

const PREFIX = "ember-ridge-draft";
const TAB = `${PREFIX}-tab`;

/** This tab's name: the same after a reload. */
function ownTab(): string {
  const known = sessionStorage.getItem(TAB);
  const tab = known ?? Math.random().toString(36).slice(2);
  sessionStorage.setItem(TAB, tab);
  return tab;
}

const tab = ownTab();
const lockOf = (name: string) => `${PREFIX}/${name}`;
const keyOf = (name: string, asset: number) => `${PREFIX}/${name}/${asset}`;

// Held for as long as the tab is open: others see by it that its edits are looked after.
navigator.locks?.request(lockOf(tab), () => new Promise(() => undefined));

export function write(draft: Draft) {
  try {
    localStorage.setItem(keyOf(tab, draft.asset), JSON.stringify(draft));
  } catch {
    // The browser's room is small; a draft of very many strokes then lives in the page alone.
  }
}

export function forget(asset: number) {
  localStorage.removeItem(keyOf(tab, asset));
}

function read(key: string): Draft | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "null") as Draft | null;
  } catch {
    return null;
  }
}

/** What was edited in an asset and never sent: by this tab before a reload, or by one that is closed. */
export async function left(asset: number): Promise<Draft | null> {
  const own = read(keyOf(tab, asset));
  if (own) return own;
  const open = new Set((await navigator.locks?.query())?.held?.map((lock) => lock.name));
  for (const key of Object.keys(localStorage)) {
    const [prefix, name, number] = key.split("/");
    if (prefix !== PREFIX || name === undefined || Number(number) !== asset || open.has(lockOf(name)))
      continue;
    const draft = read(key);
    localStorage.removeItem(key);
    if (draft) {
      write(draft);
      return draft;
    }
  }
  return null;
}
