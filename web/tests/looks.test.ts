// What the hand waits for goes before the proof that follows.
import { expect, it } from "vitest";
import { looking, rests } from "../src/api/looks";

it("rests once every look has ended, those that fail too", async () => {
  const order: string[] = [];
  await rests().then(() => order.push("nothing to wait for"));
  let land = () => {};
  let fail = () => {};
  const first = looking(new Promise<void>((go) => (land = go))).then(() => order.push("first"));
  const second = looking(new Promise<void>((_, no) => (fail = () => no(new Error("lost"))))).catch(() =>
    order.push("second"),
  );
  const proof = rests().then(() => order.push("proof"));
  land();
  await first;
  expect(order).toEqual(["nothing to wait for", "first"]);
  fail();
  await Promise.all([second, proof]);
  expect(order.toSorted()).toEqual(["first", "nothing to wait for", "proof", "second"]);
});
