// Controls of the page, by what hands and keys do to them.
import { act } from "react";
import { expect, test, vi } from "vitest";
import type { Finding } from "../src/api/types";
import { FindingCount, FindingList } from "../src/stops/findings/finding-list";
import { Failed } from "../src/ui/failed";
import { LongList } from "../src/ui/long-list";
import { NumberField } from "../src/ui/number-field";
import { bytes, count, seconds } from "../src/ui/parts";
import { draw } from "./support/page";

async function field(value: number, min = 0, max = 10, digits = 2) {
  const onChange = vi.fn();
  const show = (value: number) =>
    draw(
      <NumberField
        label="Padding"
        value={value}
        min={min}
        max={max}
        step={0.5}
        digits={digits}
        onChange={onChange}
      />,
    );
  const page = await show(value);
  const input = page.querySelector("input") as HTMLInputElement;
  const type = (text: string) =>
    act(async () => {
      input.focus();
      Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, "value")?.set?.call(input, text);
      input.dispatchEvent(new Event("input", { bubbles: true }));
    });
  const press = (key: string, more: KeyboardEventInit = {}) =>
    act(async () => {
      input.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more }));
    });
  return { input, type, press, onChange, show };
}

test("an arrow key changes a number that is shown without decimals, however fine its step", async () => {
  const { press, onChange } = await field(5, 0, 10, 0);
  await press("ArrowDown");
  expect(onChange).toHaveBeenLastCalledWith(4);
  await press("ArrowUp", { shiftKey: true });
  expect(onChange).toHaveBeenLastCalledWith(6);
  await press("ArrowUp", { ctrlKey: true });
  expect(onChange).toHaveBeenLastCalledWith(10);
});

test("a number is typed with arithmetic, held in its range, and taken back with Escape", async () => {
  const { input, type, press, onChange } = await field(2);
  expect(input.value).toBe("2.00");
  await type("1.5 * 3");
  await press("Enter");
  expect(onChange).toHaveBeenLastCalledWith(4.5);
  await type("99");
  await press("Enter");
  expect(onChange).toHaveBeenLastCalledWith(10);
  await type("4 +");
  expect(input.getAttribute("aria-invalid")).toBe("true");
  await press("Enter");
  await type("7");
  await press("Escape");
  expect(input.value).toBe("2.00");
  expect(onChange).toHaveBeenCalledTimes(2);
});

test("a number that comes from elsewhere waits until the field is left", async () => {
  const { input, onChange, show } = await field(2);
  await act(async () => input.focus());
  await show(3);
  expect(input.value).toBe("2.00");
  await act(async () => input.blur());
  expect(input.value).toBe("3.00");
  expect(onChange).not.toHaveBeenCalled();
});

test("Enter keeps a number also where the window is not told of lost focus", async () => {
  const { input, type, press, onChange } = await field(2);
  input.blur = () => undefined;
  await type("3");
  await press("Enter");
  expect(onChange).toHaveBeenCalledExactlyOnceWith(3);
});

test("arrow keys step it: Shift finely, Ctrl coarsely", async () => {
  const { press, onChange } = await field(2);
  for (const [key, more, wanted] of [
    ["ArrowUp", {}, 2.5],
    ["ArrowDown", {}, 1.5],
    ["ArrowUp", { ctrlKey: true }, 7],
    ["ArrowDown", { shiftKey: true }, 1.95],
  ] as const) {
    await press(key, more);
    expect(onChange).toHaveBeenLastCalledWith(wanted);
  }
});

test("a few rows are all in the page; of many those that are seen, and each says how many there are", async () => {
  const [panel, line] = [400, 20];
  // A page without a layout: a panel of one height, rows of another.
  vi.spyOn(HTMLElement.prototype, "offsetHeight", "get").mockReturnValue(line);
  vi.spyOn(Element.prototype, "clientHeight", "get").mockReturnValue(panel);
  vi.spyOn(Element.prototype, "scrollHeight", "get").mockReturnValue(3000 * line);
  const names = (n: number) => Array.from({ length: n }, (_, i) => `part ${i}`);
  const list = (n: number) => (
    <div style={{ overflowY: "auto" }}>
      <LongList items={names(n)} keyOf={(name) => name} height={line} label="Parts">
        {(name, place) => (
          <li key={name} {...place}>
            {name}
          </li>
        )}
      </LongList>
    </div>
  );
  const page = await draw(list(60));
  expect(page.querySelectorAll("li").length).toBe(60);
  await draw(list(3000));
  const rows = () => [...page.querySelectorAll("li")].map((row) => row.textContent);
  expect(rows().length).toBeGreaterThanOrEqual(panel / line);
  expect(rows().length).toBeLessThan(80);
  expect(rows()[0]).toBe("part 0");
  expect(page.querySelector("ul")?.style.height).toBe(`${3000 * line}px`);
  for (const row of page.querySelectorAll("li")) expect(row.getAttribute("aria-setsize")).toBe("3000");
  const scroller = page.querySelector("[style*=overflow-y]") as HTMLElement;
  const ul = page.querySelector("ul") as HTMLElement;
  ul.getBoundingClientRect = () => new DOMRect(0, -scroller.scrollTop, 300, 3000 * line);
  await act(async () => {
    scroller.scrollTop = 1500 * line;
    scroller.dispatchEvent(new Event("scroll"));
  });
  expect(rows()).toContain("part 1500");
  expect(rows()).toContain(`part ${1500 + panel / line - 1}`);
  expect(rows()).not.toContain("part 0");
  vi.restoreAllMocks();
});

test("an answer that failed says why and is asked for again", async () => {
  const refetch = vi.fn();
  const page = await draw(<Failed of={{ isError: true, error: new Error("the file is gone"), refetch }} />);
  expect(page.querySelector("[role=alert]")?.textContent).toContain("the file is gone");
  await act(async () => page.querySelector("button")?.click());
  expect(refetch).toHaveBeenCalledTimes(1);
  await draw(<Failed of={{ isError: false, error: null, refetch }} />);
  expect(page.querySelector("[role=alert]")).toBeNull();
});

const finding = (kind: string, number: number, severity = "warning", allowed: string | null = null) =>
  ({
    kind,
    severity,
    allowed,
    reason: `${kind} ${number}`,
    place: { part: `p${number}` },
  }) as unknown as Finding;

test("many findings of one kind are one to read until they are asked for", async () => {
  const many = Array.from({ length: 9 }, (_, i) => finding("overlap", i));
  const page = await draw(
    <FindingList
      findings={[...many.slice(0, 4), finding("lean", 0), ...many.slice(4)]}
      card={(f, place) => (
        <li key={f.reason} {...place} className="card">
          {f.reason}
        </li>
      )}
    />,
  );
  const cards = () => [...page.querySelectorAll(".card")].map((c) => c.textContent);
  expect(cards()).toEqual(["overlap 0", "lean 0"]);
  const more = page.querySelector("button") as HTMLButtonElement;
  expect(more.textContent).toBe("8 more of this kind");
  await act(async () => more.click());
  expect(cards().length).toBe(10);
  expect(more.getAttribute("aria-expanded")).toBe("true");
  await act(async () => more.click());
  expect(cards().length).toBe(2);
});

test("findings are counted as the trail counts them: what was accepted not at all, notes apart", async () => {
  const all = [
    finding("a", 0, "fault"),
    finding("b", 0),
    finding("c", 0, "note"),
    finding("d", 0, "warning", "meant so"),
  ];
  const page = await draw(<FindingCount findings={all} />);
  expect(page.textContent).toBe("2 and 1 note");
  await draw(<FindingCount findings={all.slice(0, 2)} />);
  expect(page.textContent).toBe("2");
});

test("amounts read alike everywhere", () => {
  expect([bytes(999), bytes(1_500_000), bytes(2_340_000_000)]).toEqual(["1 kB", "1.5 MB", "2.34 GB"]);
  expect([count(999), count(70_402)]).toEqual(["999", "70,402"]);
  expect([seconds(5.26), seconds(75)]).toEqual(["5.3 s", "1:15 min"]);
});
