// Edits on their way to the server: shown at once, sent when the hand rests, and lost through nothing: not a failing server, a clash
// with another tab, or a reload.
import { act } from "react";
import { beforeEach, expect, test, vi } from "vitest";
import { left } from "../src/api/draft-store";
import { resolve, settled, useDraft, useDrafts } from "../src/api/drafts";
import { client } from "../src/api/query-client";
import type { AssetView, Change, Recipe } from "../src/api/types";
import { type Asked, draw, serve } from "./support/page";

const recipe = (size: number, samples: number) =>
  ({ asset: "lid", sheet: { size, samples } }) as unknown as Recipe;
const asset = (revision: number, held: Recipe) => ({ id: 7, revision, recipe: held }) as unknown as AssetView;

let edit: (change: (r: Recipe) => Recipe) => void;

function Sheet({ of }: { of: AssetView }) {
  const [now, change] = useDraft(of);
  edit = change;
  return <output>{`${now?.sheet.size} x ${now?.sheet.samples}`}</output>;
}

const size = (to: number) => act(async () => edit((r) => ({ ...r, sheet: { ...r.sheet, size: to } })));
const samples = (to: number) => act(async () => edit((r) => ({ ...r, sheet: { ...r.sheet, samples: to } })));
const shown = () => document.querySelector("output")?.textContent;
const rest = (milliseconds = 300) => act(async () => vi.advanceTimersByTimeAsync(milliseconds));

/** The recipe with the changes that were sent. */
function laid(to: Recipe, { body }: Asked): Recipe {
  const sheet = { ...to.sheet } as Record<string, unknown>;
  for (const { at, to: value } of body as Change[]) sheet[at[1] ?? ""] = value;
  return { ...to, sheet } as unknown as Recipe;
}

const conflicts = [{ at: ["sheet", "size"], words: "size", theirs: 512, mine: 2048 }];

/** A server where another tab has set the size meanwhile. */
const clashing = () =>
  serve((a) => {
    if (a.method === "GET") return { body: asset(9, recipe(512, 4)) };
    if (a.match === '"3"') return { status: 409, body: { error: "changed elsewhere: size", conflicts } };
    return { body: asset(10, laid(recipe(512, 4), a)) };
  });

beforeEach(async () => {
  localStorage.clear();
  client.clear();
  useDrafts.setState({ drafts: {}, failing: null, clash: null, refused: null });
  vi.useFakeTimers();
  await draw(<Sheet of={asset(3, recipe(1024, 4))} />);
});

test("edits are shown at once and sent as one when the hand rests", async () => {
  const asked = serve((a) => ({ body: asset(4, laid(recipe(1024, 4), a)) }));
  await size(2048);
  await size(4096);
  await samples(16);
  expect(shown()).toBe("4096 x 16");
  expect(asked).toEqual([]);
  await rest();
  expect(asked).toEqual([
    {
      method: "PATCH",
      path: "/api/assets/7/recipe",
      query: "",
      match: '"3"',
      body: [
        { at: ["sheet", "size"], to: 4096 },
        { at: ["sheet", "samples"], to: 16 },
      ],
    },
  ]);
  expect(useDrafts.getState().drafts).toEqual({});
  expect(client.getQueryData<AssetView>(["asset", 7])?.revision).toBe(4);
  expect(await left(7)).toBeNull();
});

test("an edit that is undone by hand before it is sent is no edit", async () => {
  const asked = serve(() => ({ body: null }));
  await size(2048);
  await size(1024);
  await rest();
  expect(asked).toEqual([]);
  expect(useDrafts.getState().drafts).toEqual({});
});

test("what is edited while another edit is under way is laid over the answer", async () => {
  let answered: (() => void) | undefined;
  const asked = serve(async (a) => {
    if (a.match === '"3"') await new Promise<void>((done) => (answered = done));
    // Another tab has changed the samples meanwhile.
    const held = a.match === '"3"' ? recipe(1024, 64) : recipe(2048, 64);
    return { body: asset(a.match === '"3"' ? 5 : 6, laid(held, a)) } as never;
  });
  await size(2048);
  await rest();
  expect(asked.length).toBe(1);
  await size(512);
  await act(async () => {
    answered?.();
    await vi.advanceTimersByTimeAsync(1);
  });
  await draw(<Sheet of={client.getQueryData<AssetView>(["asset", 7]) as AssetView} />);
  expect(shown()).toBe("512 x 64");
  await rest();
  expect(asked[1]).toMatchObject({ match: '"5"', body: [{ at: ["sheet", "size"], to: 512 }] });
  expect(useDrafts.getState().drafts).toEqual({});
});

test("a server that does not answer or has no room is asked again, and the edit is kept meanwhile", async () => {
  let up = false;
  const asked = serve((a) => {
    if (asked.length === 1) return Promise.reject(new TypeError("refused"));
    if (!up) return { status: 507, body: { error: "the disk is full" } };
    return { body: asset(4, laid(recipe(1024, 4), a)) };
  });
  await size(2048);
  await rest();
  expect(useDrafts.getState().failing).toContain("does not answer");
  expect(shown()).toBe("2048 x 4");
  expect((await left(7))?.now.sheet.size).toBe(2048);
  await rest(2100);
  expect(useDrafts.getState().failing).toBe("the disk is full");
  expect(await act(() => settled())).toBe(false);
  up = true;
  await rest(2100);
  expect(useDrafts.getState()).toMatchObject({ failing: null, drafts: {} });
  expect(new Set(asked.map((a) => JSON.stringify(a.body))).size).toBe(1);
});

test("an edit that the server will never take goes, and the page says why", async () => {
  const asked = serve(() => ({ status: 422, body: { error: "sheet.size is 7; give 16 to 16384" } }));
  await size(7);
  await rest();
  expect(useDrafts.getState()).toMatchObject({ drafts: {}, refused: "sheet.size is 7; give 16 to 16384" });
  expect(shown()).toBe("1024 x 4");
  await rest(5000);
  expect(asked.length).toBe(1);
});

test("where two sides changed one place a choice is asked for, and the rest is kept", async () => {
  const asked = clashing();
  await size(2048);
  await samples(16);
  await rest();
  expect(useDrafts.getState().clash).toMatchObject({ asset: 7, conflicts });
  // Nothing is sent while it is open.
  await rest(6000);
  expect(asked.filter((a) => a.method === "PATCH").length).toBe(1);
  await act(async () => resolve(new Set()));
  await rest();
  const last = asked.filter((a) => a.method === "PATCH").at(-1);
  expect(last).toMatchObject({ match: '"9"', body: [{ at: ["sheet", "samples"], to: 16 }] });
  expect(useDrafts.getState()).toMatchObject({ clash: null, drafts: {} });
});

test("one's own value wins where it was chosen", async () => {
  const asked = clashing();
  await size(2048);
  await rest();
  await act(async () => resolve(new Set([JSON.stringify(["sheet", "size"])])));
  await rest();
  expect(asked.at(-1)).toMatchObject({ match: '"9"', body: [{ at: ["sheet", "size"], to: 2048 }] });
});

test("what a closed tab left is taken over once", async () => {
  const draft = { asset: 7, base: 3, before: recipe(1024, 4), now: recipe(2048, 4) };
  localStorage.setItem("ember-ridge-draft/other-tab/7", JSON.stringify(draft));
  localStorage.setItem("ember-ridge-draft/other-tab/8", JSON.stringify({ ...draft, asset: 8 }));
  localStorage.setItem("ember-ridge-draft/torn-tab/9", '{"asset": 9, "ba');
  expect(await left(7)).toEqual(draft);
  expect(localStorage.getItem("ember-ridge-draft/other-tab/7")).toBeNull();
  expect(await left(7), "it is this tab's now").toEqual(draft);
  expect(await left(9)).toBeNull();
  expect(await left(10)).toBeNull();
});
