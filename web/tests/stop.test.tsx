// A stop is its folder and a row: one of a few lines gets its place on the trail, its panel, its layer on the model stage, its key in
// the list of keys, and its address, without another line of the page.
import { act } from "react";
import { createRoot, type Root } from "react-dom/client";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { acts } from "./lookout/stop";
import "./support/page";

vi.mock("../src/stops", async (original) => {
  const { STOPS } = await original<typeof import("../src/stops")>();
  const { lookout } = await import("./lookout/stop");
  return { STOPS: [...STOPS, lookout] };
});

let root: Root;
beforeEach(async () => {
  vi.stubGlobal(
    "EventSource",
    class {
      close() {}
    },
  );
  vi.stubGlobal("matchMedia", () => ({ matches: false, addEventListener() {}, removeEventListener() {} }));
  // No server: what a stop is shows without one.
  vi.stubGlobal("fetch", () => Promise.reject(new TypeError("no server")));
  // A canvas that takes everything and shows nothing; without WebGL the model stage says so.
  const pen: object = new Proxy(() => pen, { get: () => pen, set: () => true });
  HTMLCanvasElement.prototype.getContext = ((kind: string) => (kind === "2d" ? pen : null)) as never;
  vi.spyOn(console, "error").mockImplementation((...said) => {
    if (!String(said[0]).startsWith("THREE.WebGLRenderer")) console.warn(...said);
  });
  window.history.replaceState(null, "", "/asset/1/review");
  document.body.innerHTML = "<div id='page'></div>";
  const [{ App }, { openAddress }, { client }, { QueryClientProvider }] = await Promise.all([
    import("../src/app/app"),
    import("../src/app/address"),
    import("../src/api/query-client"),
    import("@tanstack/react-query"),
  ]);
  openAddress();
  root = createRoot(document.getElementById("page") as HTMLElement);
  await act(async () => {
    root.render(
      <QueryClientProvider client={client}>
        <App />
      </QueryClientProvider>,
    );
  });
});
afterEach(async () => act(async () => root.unmount()));

const button = (text: string) =>
  [...document.querySelectorAll("button")].find((b) => b.textContent?.includes(text)) as HTMLButtonElement;
const press = (key: string) =>
  act(async () => {
    window.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true }));
  });

test("a stop of a few lines is everywhere a stop is", async () => {
  const trail = document.querySelector("nav[aria-label=Trail]");
  expect(trail?.querySelectorAll("li").length).toBe(9);
  expect(button("Lookout").querySelector("[aria-label='2 open findings']")).not.toBeNull();
  expect(document.querySelector("section[aria-label='Model stage'] [data-testid=smoke]")).not.toBeNull();
  expect(document.body.textContent).not.toContain("Nothing burns.");

  await act(async () => button("Lookout").click());
  expect(document.querySelector("aside[aria-label=Lookout]")?.textContent).toContain("Nothing burns.");
  expect(window.location.pathname).toMatch(/\/lookout$/);
  expect([acts.entered, acts.left]).toEqual([1, 0]);

  await press("k");
  expect(acts.pressed).toBe(1);
  await press("?");
  expect(document.querySelector("[role=dialog]")?.textContent).toContain("Ring the bell");
  await act(async () => {
    document
      .querySelector("[role=dialog]")
      ?.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true }));
  });

  await act(async () => button("Review").click());
  expect([acts.entered, acts.left]).toEqual([1, 1]);
});

test("its address opens it, and an address of no stop opens the first", async () => {
  const { parse, address } = await import("../src/app/address");
  expect(parse("/asset/3/lookout", "?run=12")).toEqual({ asset: 3, stop: "lookout", run: 12 });
  expect(parse("/asset/3/nowhere", "")).toEqual({ asset: 3, stop: "review", run: null });
  expect(parse("/asset/-3/maps", "?run=x")).toEqual({ asset: null, stop: "maps", run: null });
  for (const path of ["/asset/3/lookout?run=12", "/asset/1/maps", "/"]) {
    const [pathname = "", query = ""] = path.split("?");
    expect(address(parse(pathname, query ? `?${query}` : ""))).toBe(path);
  }
});
