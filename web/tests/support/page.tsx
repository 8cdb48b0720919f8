// A piece of the page in the document, and a server that a test plays.
import { act, type ReactNode } from "react";
import { createRoot, type Root } from "react-dom/client";
import { afterEach, beforeEach, vi } from "vitest";

let root: Root | null = null;

beforeEach(() => {
  vi.stubGlobal("IS_REACT_ACT_ENVIRONMENT", true);
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      disconnect() {}
      unobserve() {}
    },
  );
});

afterEach(async () => {
  await act(async () => root?.unmount());
  root = null;
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

/** Draws a piece of the page; again with another to change it. */
export async function draw(piece: ReactNode): Promise<HTMLElement> {
  if (!root) {
    document.body.innerHTML = "<div id='page'></div>";
    root = createRoot(document.getElementById("page") as HTMLElement);
  }
  await act(async () => root?.render(piece));
  return document.body;
}

/** A request as the server sees it. */
export interface Asked {
  method: string;
  path: string;
  /** With its question mark, or empty. */
  query: string;
  match: string | null;
  body: unknown;
}

/** Answers every request by a test's word; gives the list of them as it grows. */
export function serve(
  answer: (asked: Asked) => { status?: number; body: unknown } | Promise<never>,
): Asked[] {
  const all: Asked[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const text = await request.text();
    const asked = {
      method: request.method,
      path: new URL(request.url).pathname,
      query: new URL(request.url).search,
      match: request.headers.get("If-Match"),
      body: text === "" ? null : JSON.parse(text),
    };
    all.push(asked);
    const { status = 200, body } = await answer(asked);
    return new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
  });
  return all;
}
