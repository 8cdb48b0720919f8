// Findings, many of one kind together: a fault that two hundred parts share is one thing to read.
import { type ReactNode, useState } from "react";
import type { Finding } from "../../api/types";
import { LongList, type Place } from "../../ui/long-list";
import { findingKey } from "./finding-card";

/** So many of one kind still stand one by one. */
const FEW = 5;

/** Draws one finding as a list item that spreads its place. */
type Card = (finding: Finding, place?: Place) => ReactNode;

/** The order stays that of the first of each kind. */
export function FindingList({ findings, card }: { findings: Finding[]; card: Card }) {
  const kinds = new Map<string, Finding[]>();
  for (const f of findings) {
    const key = `${f.kind} ${f.severity} ${f.allowed ? "accepted" : ""}`;
    kinds.set(key, [...(kinds.get(key) ?? []), f]);
  }
  return (
    <ul className="divide-y divide-line">
      {[...kinds].map(([key, alike]) =>
        alike.length > FEW ? <Alike key={key} findings={alike} card={card} /> : alike.map((f) => card(f)),
      )}
    </ul>
  );
}

/** How many are open, notes apart: the trail counts the others. */
export function FindingCount({ findings }: { findings: readonly Finding[] }) {
  const open = findings.filter((f) => !f.allowed);
  const notes = open.filter((f) => f.severity === "note").length;
  const others = open.length - notes;
  return (
    <span className="num text-ink-3">
      {others}
      {notes > 0 && ` and ${notes} ${notes === 1 ? "note" : "notes"}`}
    </span>
  );
}

/** The first of a kind, and the others on request. */
function Alike({ findings, card }: { findings: Finding[]; card: Card }) {
  const [open, setOpen] = useState(false);
  const rest = findings.slice(1);
  return (
    <li className="pb-1.5">
      <ul>{card(findings[0] as Finding)}</ul>
      {open && (
        <LongList items={rest} keyOf={findingKey} height={48} className="divide-y divide-line">
          {card}
        </LongList>
      )}
      <button
        type="button"
        aria-expanded={open}
        className="ml-[22px] rounded bg-sunk px-1.5 py-0.5 font-[560] hover:text-ember-strong"
        onClick={() => setOpen(!open)}
      >
        {open ? `Hide ${rest.length}` : `${rest.length} more of this kind`}
      </button>
    </li>
  );
}
