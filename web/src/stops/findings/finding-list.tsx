// Findings, many of one kind together: a fault that two hundred parts share is one thing to read.
import { type ReactNode, useState } from "react";
import type { Finding, Severity } from "../../api/types";
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

const MANY: [Severity, string, string][] = [
  ["fault", "fault", "faults"],
  ["warning", "warning", "warnings"],
  ["note", "note", "notes"],
];

/** All of them in one line: "1 fault, 3 warnings and 2 notes". */
export function stateOf(findings: readonly Finding[]): string {
  const open = findings.filter((f) => !f.allowed);
  const told = MANY.map(([severity, one, several]) => {
    const found = open.filter((f) => f.severity === severity).length;
    return found > 0 ? `${found} ${found === 1 ? one : several}` : null;
  }).filter((words) => words !== null);
  const last = told.pop();
  if (!last) return "Sound: nothing was found";
  const words = told.length > 0 ? `${told.join(", ")} and ${last}` : last;
  return open.every((f) => f.severity === "note") ? `Sound, with ${words}` : words;
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
