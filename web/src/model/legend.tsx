// What stands at the foot of the model stage: what the colours and shapes over the model mean, with their counts.
import type { ReactNode } from "react";
import type { EnvelopeHeader, MarkKind } from "../api/types";
import { MARK_KINDS } from "../reach/envelope-data";
import { useEnvelope } from "../reach/live";
import { LIMIT_COLOURS, MARK_COLOURS, NEEDLE_COLOURS } from "../reach/marks";
import { useStore } from "../state";
import { LayoutLegend } from "./layout-legend";

const MARK_WORDS: Record<MarkKind, string> = {
  "pokes-out": "sculpt pokes out",
  "too-deep": "too deep",
  "crosses-itself": "crosses itself",
  "crosses-another": "crosses a neighbour",
};

/** A shape of the marks over the model, small. */
export function Glyph({ shape, colour }: { shape: number; colour: string }) {
  const shapes: ReactNode[] = [
    <circle key="disc" cx="6" cy="6" r="3.6" fill={colour} />,
    <circle key="ring" cx="6" cy="6" r="3.6" fill="none" stroke={colour} strokeWidth="2" />,
    <rect key="square" x="2.5" y="2.5" width="7" height="7" fill={colour} />,
    <path key="diamond" d="M6 1 11 6 6 11 1 6Z" fill={colour} />,
    <path key="up" d="M6 1 11 10H1Z" fill={colour} />,
    <path key="down" d="M6 11 1 2H11Z" fill={colour} />,
    <path key="cross" d="M2 2 10 10M10 2 2 10" stroke={colour} strokeWidth="2.4" />,
    <path key="plus" d="M6 1V11M1 6H11" stroke={colour} strokeWidth="2.4" />,
  ];
  return (
    <svg viewBox="0 0 12 12" className="size-3 shrink-0" aria-hidden>
      {shapes[shape]}
    </svg>
  );
}

function Line(props: { label: string; children: ReactNode }) {
  return (
    <span
      role="group"
      aria-label={props.label}
      className="flex flex-wrap items-center gap-x-3 rounded bg-(--stage-tool) px-2 py-0.5"
    >
      {props.children}
    </span>
  );
}

function Entry({ shape, colour, children }: { shape: number; colour: string; children: ReactNode }) {
  return (
    <span className="flex items-center gap-1.5 whitespace-nowrap">
      <Glyph shape={shape} colour={colour} />
      {children}
    </span>
  );
}

export function Legend(props: { standIn: { shown_triangles: number; real_triangles: number } | undefined }) {
  const { standIn } = props;
  const { envelope, inner, needles, limits, stop } = useStore();
  const header = useEnvelope()?.header;
  const thousands = (n: number) => (n >= 1e6 ? `${(n / 1e6).toFixed(2)}M` : `${Math.round(n / 1e3)}k`);
  return (
    <div className="pointer-events-none absolute right-24 bottom-3 left-3 flex flex-col items-start gap-1 text-xs text-on-stage">
      <LayoutLegend />
      {header && stop === "reach" && needles > 0 && <NeedleLine header={header} />}
      {header && envelope && header.marks.length > 0 && (
        <Line label="Where the envelope falls short">
          {header.marks.map((m) => {
            const kind = MARK_KINDS.indexOf(m.kind);
            return (
              <Entry key={m.kind} shape={kind + 4} colour={MARK_COLOURS[kind] ?? MARK_COLOURS[0]}>
                {MARK_WORDS[m.kind]} up to <b className="num">{m.most.toPrecision(2)}</b>
              </Entry>
            );
          })}
        </Line>
      )}
      {header && limits && (
        <Line label="What limited the fit">
          <Entry shape={3} colour={LIMIT_COLOURS[0]}>
            own surface
          </Entry>
          <Entry shape={2} colour={LIMIT_COLOURS[1]}>
            neighbour part
          </Entry>
          <Entry shape={6} colour={LIMIT_COLOURS[2]}>
            not enclosed
          </Entry>
        </Line>
      )}
      {header && envelope && (
        <Line label="Envelope">
          <span className="flex items-center gap-1.5">
            <i className="size-2.5 bg-ember" />
            rays start up to <b className="num">{header.reach.out.toPrecision(3)}</b> out
          </span>
          <span className="flex items-center gap-1.5">
            <i
              className={`size-2.5 border border-dashed border-white ${inner ? "bg-black" : "bg-black/50"}`}
            />
            end up to <b className="num">{header.reach.in.toPrecision(3)}</b> in
          </span>
        </Line>
      )}
      {standIn && (
        <span className="rounded bg-(--stage-tool) px-2 py-0.5">
          Sculpt shown through a stand-in: {thousands(standIn.shown_triangles)} of{" "}
          {thousands(standIn.real_triangles)} triangles. Bakes use all.
        </span>
      )}
    </div>
  );
}

function NeedleLine({ header }: { header: EnvelopeHeader }) {
  const { hit, miss, back_face, wrong_part } = header.needles;
  const fates = [
    ["hit", hit],
    ["miss", miss],
    ["back face", back_face],
    ["other part", wrong_part],
  ] as const;
  return (
    <Line label="Needles">
      {fates.map(([words, count], i) => (
        <Entry key={words} shape={i} colour={NEEDLE_COLOURS[i] ?? NEEDLE_COLOURS[0]}>
          {words} <b className="num">{count}</b>
        </Entry>
      ))}
    </Line>
  );
}
