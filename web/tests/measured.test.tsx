// A run whose maps come in squares is measured when someone asks for it, others at once.
import { QueryClientProvider } from "@tanstack/react-query";
import { act } from "react";
import { expect, test } from "vitest";
import { open, useOpen } from "../src/api/open";
import { client } from "../src/api/query-client";
import { TruthsSection } from "../src/stops/review/truths-section";
import { draw, serve } from "./support/page";

const later = () => act(async () => void (await new Promise((done) => setTimeout(done, 50))));

test("a large run is measured on request", async () => {
  const runs = [2, 1].map((id) => ({ id, number: id, kind: "final", status: "done", size: 8192 }));
  client.setQueryData(["asset", 7], { id: 7, run_count: 2, runs, missing: null, meshes: [] });
  const report = { sheets: ["one"], maps: {} };
  const picture = { map: "normal", sheet: 0, hash: "abc" };
  const detail = (run: (typeof runs)[number] | undefined, squares: number[]) => ({
    run,
    report,
    findings: [],
    pictures: [{ ...picture, squares }],
  });
  client.setQueryData(["run", 1], detail(runs[1], []));
  client.setQueryData(["run", 2], detail(runs[0], [8192, 4096]));
  const asked = serve(({ path }) =>
    path.endsWith("/truths")
      ? { body: { truths: {}, faults: [], notes: ["it was read"] } }
      : { body: client.getQueryData(["asset", 7]) },
  );
  const of = (id: number) => asked.filter(({ path }) => path === `/api/runs/${id}/truths`).length;
  useOpen.setState({ asset: 7, run: 2 });
  const page = await draw(
    <QueryClientProvider client={client}>
      <TruthsSection />
    </QueryClientProvider>,
  );
  await later();
  expect(of(2)).toBe(0);
  expect(page.textContent).toContain("reads all 8192 x 8192 texels");
  await act(async () => (page.querySelector("section button") as HTMLButtonElement).click());
  await later();
  expect(of(2)).toBe(1);
  expect(page.textContent).toContain("It was read.");
  await act(async () => open({ run: 1 }));
  await later();
  expect(of(1)).toBe(1);
});
