// The final at the Bake stop: where it is baked, what that takes, and what can be done where a cluster did not finish it.
import { QueryClientProvider } from "@tanstack/react-query";
import { act } from "react";
import { beforeEach, expect, test } from "vitest";
import { setFinalsOn } from "../src/api/clusters";
import { useOpen } from "../src/api/open";
import { client } from "../src/api/query-client";
import { FinalSection } from "../src/stops/bake/final-section";
import { draw, serve } from "./support/page";

const FARM = { name: "night farm", partition: "short", shares: 16, threads: 2, fault: null as string | null };
const RUN = { id: 9, number: 3, kind: "final", status: "done", cluster: null as string | null, landed: 0 };
const ERROR = "night farm refused the job (sbatch failed: no hours left). Send it again once it is accepted";

let asked: { method: string; path: string; query: string; body: unknown }[] = [];

const button = (name: string) => {
  const found = [...document.querySelectorAll("button")].find((b) => b.textContent?.startsWith(name));
  if (!found) throw new Error(`no button ${name}`);
  return found;
};

async function drawn(clusters: unknown[], run: object = {}) {
  const sheet = { size: 2048, samples: 4, depth: "16" };
  const asset = {
    id: 1,
    missing: null,
    recipe: { sheet, maps: [] },
    runs: [{ ...RUN, ...run }],
    estimates: { whole: { thread_seconds: 320 } },
  };
  client.clear();
  client.setDefaultOptions({ queries: { staleTime: Number.POSITIVE_INFINITY, retry: false } });
  client.setQueryData(["asset", 1], asset);
  client.setQueryData(["maps"], []);
  client.setQueryData(["clusters"], clusters);
  useOpen.setState({ asset: 1, run: null });
  return draw(
    <QueryClientProvider client={client}>
      <FinalSection />
    </QueryClientProvider>,
  );
}

beforeEach(() => {
  asked = [];
  setFinalsOn(false);
  serve(({ method, path, query, body }) => {
    asked.push({ method, path, query, body });
    return { body: { id: 10 } };
  });
});

test("without a cluster there is nothing to choose, whatever was chosen before", async () => {
  setFinalsOn(true);
  const page = await drawn([]);
  expect(page.textContent).not.toContain("This machine");
  await act(async () => button("Bake the final").click());
  expect(asked.map((a) => a.body)).toContainEqual({ kind: "final", on_cluster: false });
});

test("a cluster says what a final takes there, and the order goes to it", async () => {
  const page = await drawn([FARM]);
  expect(page.textContent).not.toContain("partition short");
  await act(async () => button("night farm").click());
  expect(page.textContent).toContain("16 shares of 2 threads, partition short.");
  // 320 s over 32 threads.
  expect(page.textContent).toContain("10 s if all shares run at once");
  await act(async () => button("Bake the final").click());
  expect(asked.map((a) => a.body)).toContainEqual({ kind: "final", on_cluster: true });
});

test("one that does not answer is named before anything is sent to it", async () => {
  setFinalsOn(true);
  const page = await drawn([{ ...FARM, fault: "squeue failed: no controller" }]);
  const alert = page.querySelector("[role=alert]");
  expect(alert?.textContent).toContain("night farm does not answer now (squeue failed: no controller)");
});

test("a final that a cluster did not finish is sent again or goes on here", async () => {
  const page = await drawn([FARM], { status: "failed", cluster: "night farm", landed: 5, error: ERROR });
  expect(page.querySelector("[role=alert]")?.textContent).toContain(`Final 3: ${ERROR}`);
  await act(async () => button("Send again").click());
  await act(async () => button("Go on here").click());
  expect(asked.map(({ method, path, query }) => `${method} ${path}${query}`)).toEqual([
    "POST /api/runs/9/resume?here=false",
    "POST /api/runs/9/resume?here=true",
  ]);
});
