// What stands at the foot of the model stage: what the colours and shapes over the model mean, with their counts.
import type { ReactNode } from "react";
import { useOpen } from "../../api/open";
import type { EnvelopeHeader, MarkKind } from "../../api/types";
import { Glyph } from "../../ui/glyph";
import { MARK_KINDS } from "./envelope-data";
import { useEnvelope } from "./live";
import { LIMIT_COLOURS, MARK_COLOURS, NEEDLE_COLOURS } from "./marks";
import { useReach } from "./state";

const MARK_WORDS: Record<MarkKind, string> = {
  "pokes-out": "sculpt pokes out",
  "too-deep": "too deep",
  "crosses-itself": "crosses itself",
  "crosses-another": "crosses a neighbour",
};

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

export function RayLegend() {
  const { envelope, inner, needles, limits } = useReach();
  const atReach = useOpen((s) => s.stop === "reach");
  const header = useEnvelope()?.header;
  return (
    <>
      {header && atReach && needles > 0 && <NeedleLine header={header} />}
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
    </>
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
