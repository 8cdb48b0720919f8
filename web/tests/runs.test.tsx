// The ledger's list while runs come and go under it.
import { QueryClientProvider } from "@tanstack/react-query";
import { act } from "react";
import { beforeEach, expect, test } from "vitest";
import { useOpen } from "../src/api/open";
import { client } from "../src/api/query-client";
import type { AssetView, RunView } from "../src/api/types";
import { useRuns } from "../src/app/runs";
import { draw, serve } from "./support/page";

const run = (number: number) => ({ id: number * 10, number }) as unknown as RunView;
/** Runs from one number down to another. */
const span = (from: number, to: number) => Array.from({ length: from - to + 1 }, (_, i) => run(from - i));

let listed: ReturnType<typeof useRuns>;
function Listing() {
  listed = useRuns();
  return null;
}

const numbers = () => listed.runs.map((r) => r.number);
const down = (from: number, to: number) => span(from, to).map((r) => r.number);

/** The asset as it comes with its newest runs. */
const comes = (id: number, count: number, runs: RunView[]) =>
  act(async () => {
    client.setQueryData(["asset", id], { id, run_count: count, runs } as unknown as AssetView);
    useOpen.setState({ asset: id });
    // What was set is told a moment later.
    await new Promise((done) => setTimeout(done, 5));
  });

beforeEach(async () => {
  client.clear();
  client.setDefaultOptions({ queries: { staleTime: Number.POSITIVE_INFINITY, retry: false } });
  useOpen.setState({ asset: null });
  serve(({ path }) => {
    expect(path).toBe("/api/assets/1/runs");
    return { body: { runs: span(numbers().at(-1) === 51 ? 50 : 0, 31), more: true } };
  });
  await draw(
    <QueryClientProvider client={client}>
      <Listing />
    </QueryClientProvider>,
  );
});

test("older runs follow the newest, and none is lost when a new one pushes them down", async () => {
  await comes(1, 100, span(100, 51));
  expect(numbers()).toEqual(down(100, 51));
  await act(async () => listed.older?.());
  expect(numbers()).toEqual(down(100, 31));
  await comes(1, 101, span(101, 52));
  expect(numbers()).toEqual(down(101, 31));
  expect(listed.older).not.toBeNull();
});

test("a page that cannot be read is asked for again on request, and nothing is lost", async () => {
  await comes(1, 100, span(100, 51));
  serve(() => ({ status: 500, body: { error: "the database does not answer" } }));
  await act(async () => listed.older?.());
  expect(listed.failed?.message).toBe("the database does not answer");
  expect(numbers()).toEqual(down(100, 51));
  serve(() => ({ body: { runs: span(50, 31), more: true } }));
  await act(async () => listed.older?.());
  expect(listed.failed).toBeNull();
  expect(numbers()).toEqual(down(100, 31));
});

test("after a deletion older ones are asked for again, and another asset brings none of this one's", async () => {
  await comes(1, 100, span(100, 51));
  await act(async () => listed.older?.());
  await comes(1, 99, [...span(100, 91), ...span(89, 50)]);
  expect(numbers()).toEqual([...down(100, 91), ...down(89, 50)]);
  await comes(2, 1, [run(200)]);
  expect(numbers()).toEqual([200]);
  expect(listed.older).toBeNull();
});
