// What the stages show while a bake lands and while two runs are compared.
import { QueryClientProvider } from "@tanstack/react-query";
import { act } from "react";
import { beforeEach, expect, test } from "vitest";
import { useOpen } from "../src/api/open";
import { useProgress } from "../src/api/progress";
import { client } from "../src/api/query-client";
import type { AssetView, ProgressView } from "../src/api/types";
import { useLanding } from "../src/stages/landing";
import { show, useView } from "../src/stages/view";
import { switchRuns } from "../src/stops/review/against-section";
import { lendAgainst, takeAgainstBack } from "../src/stops/review/state";
import { figure, firstMost } from "../src/ui/heat-scale";
import { draw, serve } from "./support/page";

const baking = (asset: number, stage = "baking") => ({ asset, run: 9, stage, share: 0.5 }) as ProgressView;

let landing: number | null;
function Landing() {
  landing = useLanding((now) => now.run);
  return null;
}

beforeEach(async () => {
  client.clear();
  client.setDefaultOptions({ queries: { staleTime: Number.POSITIVE_INFINITY, retry: false } });
  client.setQueryData(["asset", 1], { id: 1, runs: [] } as unknown as AssetView);
  useOpen.setState({ asset: 1, run: null });
  useProgress.setState({ running: null });
  show({ against: null });
  serve(() => ({ body: {} }));
  await draw(
    <QueryClientProvider client={client}>
      <Landing />
    </QueryClientProvider>,
  );
});

test("a bake is seen landing where nothing else is asked for", async () => {
  const seen = async (running: ProgressView | null, run: number | null = null) => {
    await act(async () => {
      useProgress.setState({ running });
      useOpen.setState({ run });
    });
    return landing;
  };
  expect(await seen(null)).toBeNull();
  expect(await seen(baking(1))).toBe(9);
  expect(await seen(baking(2)), "of another asset").toBeNull();
  expect(await seen(baking(1, "planning")), "nothing is there yet").toBeNull();
  expect(await seen(baking(1), 4), "an earlier run was chosen").toBeNull();
  expect(await seen(baking(1))).toBe(9);
  await act(async () => show({ against: { run: 4, shows: "this", most: {} } }));
  expect(landing, "two runs are compared").toBeNull();
});

test("a comparison is put away with its stop, and there again when one comes back", async () => {
  const does = (work: () => void) => act(async () => work());
  await does(() => show({ against: { run: 4, shows: "this", most: { ao: 0.2 } } }));
  await does(switchRuns);
  expect(useView.getState().against?.shows).toBe("other");
  await does(switchRuns);
  expect(useView.getState().against?.shows).toBe("this");
  await does(() => show({ against: { run: 4, shows: "difference", most: { ao: 0.2 } } }));
  await does(takeAgainstBack);
  expect(useView.getState().against).toBeNull();
  await does(switchRuns);
  expect(useView.getState().against, "there is nothing to switch").toBeNull();
  await does(lendAgainst);
  expect(useView.getState().against).toEqual({ run: 4, shows: "this", most: { ao: 0.2 } });
});

test("figures tell something, however small or large", () => {
  expect([0, 0.00012345, 0.5, 12.345, 254.6].map(figure)).toEqual(["0", "0.00012", "0.50", "12", "255"]);
  expect(firstMost({ p99: 0.2, max: 0.9 })).toBe(0.2);
  expect(firstMost({ p99: 0, max: 0.9 })).toBe(0.9);
});
