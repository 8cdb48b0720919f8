// A run that cannot be read: said once, where its figures would stand, and asked for again only on request.
import { QueryClientProvider } from "@tanstack/react-query";
import { act } from "react";
import { expect, test } from "vitest";
import { open, useOpen } from "../src/api/open";
import { client } from "../src/api/query-client";
import { ReviewStop } from "../src/stops/review/panel";
import { draw, serve } from "./support/page";

const later = (milliseconds: number) =>
  act(async () => {
    await new Promise((done) => setTimeout(done, milliseconds));
  });

test("a run that cannot be read says so, and does not go on asking", async () => {
  const runs = [2, 1].map((id) => ({ id, number: id, kind: "final", status: "done" }));
  client.setQueryData(["asset", 7], { id: 7, run_count: 2, runs, missing: null, meshes: [] });
  const report = {
    seconds: 1,
    covered: 1,
    texels: 2,
    misses: 0,
    back_faces: 0,
    reach: { out: 0.1, in: 0.1 },
    maps: {},
  };
  client.setQueryData(["run", 2], { run: runs[0], report, findings: [], pictures: [] });
  const asked = serve(({ path }) => {
    if (path.endsWith("/mips")) return { body: [] };
    if (path !== "/api/runs/1") return { body: client.getQueryData(["asset", 7]) };
    return { status: 500, body: { error: "the database does not answer" } };
  });
  useOpen.setState({ asset: 7, run: null });
  const page = await draw(
    <QueryClientProvider client={client}>
      <ReviewStop />
    </QueryClientProvider>,
  );
  await act(async () => open({ run: 1 }));
  await later(2500);
  const alert = () => page.querySelector("[role=alert]")?.textContent;
  expect(alert()).toContain("the database does not answer");
  const times = () => asked.filter((a) => a.path === "/api/runs/1").length;
  expect(times()).toBe(2);
  await later(2500);
  expect(times(), "no one asked again").toBe(2);
  await act(async () => (page.querySelector("[role=alert] button") as HTMLButtonElement).click());
  await later(1500);
  expect(times()).toBeGreaterThan(2);
});
