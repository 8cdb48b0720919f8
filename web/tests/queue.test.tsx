// The queue at the Bake stop: what waits is held, put in order and removed, by mouse and by keys.
import { QueryClientProvider } from "@tanstack/react-query";
import { act } from "react";
import { beforeEach, expect, test } from "vitest";
import { useProgress } from "../src/api/progress";
import { client } from "../src/api/query-client";
import type { ProgressView, QueuedRun } from "../src/api/types";
import { tabTitle } from "../src/app/tab";
import { QueueSection, reordered } from "../src/stops/bake/queue-section";
import { draw, serve } from "./support/page";

const queued = (id: number, status: "running" | "waiting", held = false) =>
  ({
    asset: 1,
    asset_name: "Lantern",
    run: { id, number: id, kind: "final", status, held, size: 2048, landed: 0 },
  }) as unknown as QueuedRun;

const PROGRESS = {
  asset: 1,
  run: 5,
  kind: "final",
  stage: "baking",
  share: 0.25,
  elapsed: 12,
  left: 36,
  rays_per_second: 4.2e6,
  maps: [
    { map: "normal", share: 0.3 },
    { map: "ao", share: 0.5 },
  ],
} as ProgressView;

let asked: { method: string; path: string; body: unknown }[] = [];
let page: HTMLElement;
let queue: QueuedRun[] = [];

const button = (name: string) => {
  const found = page.querySelector<HTMLButtonElement>(`button[aria-label="${name}"]`);
  if (!found) throw new Error(`no button ${name}`);
  return found;
};

beforeEach(async () => {
  asked = [];
  queue = [queued(5, "running"), queued(6, "waiting"), queued(7, "waiting", true)];
  client.clear();
  client.setDefaultOptions({ queries: { staleTime: Number.POSITIVE_INFINITY, retry: false } });
  client.setQueryData(["queue"], queue);
  client.setQueryData(["maps"], []);
  useProgress.setState({ running: PROGRESS });
  serve(({ method, path, body }) => {
    asked.push({ method, path, body });
    return { body: method === "PUT" ? queue : (queue[1]?.run ?? null) };
  });
  page = await draw(
    <QueryClientProvider client={client}>
      <QueueSection />
    </QueryClientProvider>,
  );
});

test("an entry goes to another place, and no further than the ends", () => {
  expect(reordered([1, 2, 3], 3, 0)).toEqual([3, 1, 2]);
  expect(reordered([1, 2, 3], 1, 1)).toEqual([2, 1, 3]);
  expect(reordered([1, 2, 3], 2, -4)).toEqual([2, 1, 3]);
  expect(reordered([1, 2, 3], 2, 9)).toEqual([1, 3, 2]);
});

test("the tab tells what is baked", () => {
  expect(tabTitle(null, undefined)).toBe("Ember Ridge");
  expect(tabTitle(null, "Lantern")).toBe("Lantern – Ember Ridge");
  expect(tabTitle(0.416, "Lantern")).toBe("42 % Lantern – Ember Ridge");
});

test("what runs says how far it is, and what takes the time", () => {
  expect(page.textContent).toContain("Lantern, final 5");
  expect(page.textContent).toContain("25 %");
  expect(page.textContent).toContain("baking, 12 s elapsed, 36 s left");
  expect(page.textContent).toContain("4.2 million rays per second");
  const names = [...page.querySelectorAll("ol[aria-label=Waiting] li")].map((row) => row.textContent);
  expect(names).toEqual(["LanternFinal 6, 2048 px", "LanternFinal 7, 2048 px, on hold"]);
});

test("arrow keys put runs in order, buttons hold, release and remove them", async () => {
  const down = new KeyboardEvent("keydown", { key: "ArrowDown", bubbles: true });
  await act(async () => button("Move Lantern, final 6").dispatchEvent(down));
  await act(async () => button("Hold Lantern, final 6").click());
  await act(async () => button("Release Lantern, final 7").click());
  await act(async () => button("Remove Lantern, final 7 from the queue").click());
  expect(asked.map(({ method, path, body }) => [method, path, body])).toEqual([
    ["PUT", "/api/queue", { runs: [7, 6] }],
    ["POST", "/api/runs/6/hold", { held: true }],
    ["POST", "/api/runs/7/hold", { held: false }],
    ["POST", "/api/runs/7/stop", null],
  ]);
});

test("a drag goes on outside the list, and ends wherever it is let go", async () => {
  const rows = [...page.querySelectorAll<HTMLElement>("[data-final]")];
  rows.forEach((row, i) => {
    row.getBoundingClientRect = () => ({ top: 20 * i, bottom: 20 * (i + 1) }) as DOMRect;
  });
  const pointer = (type: string, clientY: number) =>
    new MouseEvent(type, { bubbles: true, button: 0, clientY });
  await act(async () => button("Move Lantern, final 6").dispatchEvent(pointer("pointerdown", 10)));
  await act(async () => window.dispatchEvent(pointer("pointermove", 30)));
  const names = [...page.querySelectorAll("ol[aria-label=Waiting] li b")].length;
  expect(names).toBe(2);
  expect(page.querySelector("[data-final]")?.textContent).toContain("Final 7");
  await act(async () => window.dispatchEvent(pointer("pointermove", 400)));
  await act(async () => window.dispatchEvent(pointer("pointerup", 400)));
  expect(asked.map(({ method, path, body }) => [method, path, body])).toEqual([
    ["PUT", "/api/queue", { runs: [7, 6] }],
  ]);
  // It is over: moving on moves nothing.
  await act(async () => window.dispatchEvent(pointer("pointermove", 10)));
  expect(asked).toHaveLength(1);
});
