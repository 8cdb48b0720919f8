// Findings, many of one kind together: a fault that two hundred parts share is one thing to read.
import { type ReactNode, useState } from "react";
import type { Finding } from "../../api/types";

/** So many of one kind still stand one by one. */
const FEW = 5;
/** An opened kind shows so many; the rest is counted. */
const MOST = 60;

/** `card` draws one finding as a list item. The order stays that of the first of each kind. */
export function FindingList({ findings, card }: { findings: Finding[]; card: (f: Finding) => ReactNode }) {
  const kinds = new Map<string, Finding[]>();
  for (const f of findings) {
    const key = `${f.kind} ${f.severity} ${f.allowed ? "accepted" : ""}`;
    kinds.set(key, [...(kinds.get(key) ?? []), f]);
  }
  return (
    <ul className="divide-y divide-line">
      {[...kinds].map(([key, alike]) =>
        alike.length > FEW ? <Alike key={key} findings={alike} card={card} /> : alike.map(card),
      )}
    </ul>
  );
}

/** The first of a kind, and the others on request. */
function Alike({ findings, card }: { findings: Finding[]; card: (f: Finding) => ReactNode }) {
  const [open, setOpen] = useState(false);
  const rest = findings.slice(1);
  return (
    <li className="pb-1.5">
      <ul className="divide-y divide-line">
        {card(findings[0] as Finding)}
        {open && rest.slice(0, MOST).map(card)}
        {open && rest.length > MOST && <li className="py-1 text-ink-3">and {rest.length - MOST} more</li>}
      </ul>
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
