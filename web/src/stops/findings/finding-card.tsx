// A finding: what is wrong, what to do about it, where it is, and what can be done here by one click.
import { ChevronRight, CircleAlert, CircleCheck, Info, TriangleAlert } from "lucide-react";
import { Collapsible } from "radix-ui";
import { useState } from "react";
import { open } from "../../api/open";
import { withChanges } from "../../api/patch";
import { useActions, useRecipe } from "../../api/queries";
import type { Finding, RunView, Severity } from "../../api/types";
import { hover } from "../../stages/hover";
import { lookAt, show, useView } from "../../stages/view";
import type { Place } from "../../ui/long-list";
import { Button, LinkButton } from "../../ui/parts";
import { traceAt } from "../review/trace";

const MARKS: Record<Severity, { icon: typeof Info; color: string; word: string }> = {
  fault: { icon: CircleAlert, color: "text-madder", word: "Fault" },
  warning: { icon: TriangleAlert, color: "text-ochre-ink", word: "Warning" },
  note: { icon: Info, color: "text-ink-3", word: "Note" },
};

/** Shows the place of a finding on both stages. `onLow`: its triangles are the low-poly's. */
export function showPlace(finding: Finding, onLow: boolean) {
  const { point, uv, part, triangles } = finding.place;
  lookAt(point);
  show({ lit: onLow && triangles.length > 0 ? triangles : null });
  if (!uv) return;
  const [u, v] = [uv[0] - Math.floor(uv[0]), uv[1] - Math.floor(uv[1])];
  const sheet = finding.place.sheet ?? useView.getState().sheet;
  show({ sheet });
  hover.set({ from: "model", uv: [u, v], sheet, point, part, triangle: triangles[0] ?? null });
}

/** Keeps a number and its unit on one line. */
const whole = (text: string) => text.replaceAll(" %", "\u00a0%");

/** What tells one finding from all others of a list. */
export const findingKey = ({ kind, place, reason }: Finding) =>
  `${kind} ${place.file} ${place.part} ${reason}`;

/** Two lines until it is opened. `onLow`: its triangles are the low-poly's, so that they can be lit there; `may`: the artist may accept
 *  it; `run`: the run it is about, whose texels can be traced. */
export function FindingCard(props: {
  finding: Finding;
  onLow?: boolean;
  may?: boolean;
  run?: RunView;
  place?: Place;
}) {
  const { finding, onLow = false, may = false, run } = props;
  const place = finding.place.uv;
  const { icon: Mark, color, word } = MARKS[finding.severity];
  const { fix: take, accept } = useActions();
  const [, edit] = useRecipe();
  const [noting, setNoting] = useState(false);
  const { point, part } = finding.place;
  const about = { kind: finding.kind, part: part ?? null };
  if (finding.allowed)
    return (
      <li {...props.place} className="flex gap-2 py-1.5 text-ink-2">
        <CircleCheck className="mt-0.5 size-3.5 shrink-0 text-moss" aria-label="Accepted" />
        <div className="min-w-0">
          <p>{whole(finding.reason)}.</p>
          <p className="text-ink-3">
            Accepted: {finding.allowed}.{" "}
            <LinkButton onClick={() => accept({ ...about, note: null })}>Do not accept</LinkButton>
          </p>
        </div>
      </li>
    );
  return (
    <li {...props.place} className="py-1">
      <Collapsible.Root>
        <Collapsible.Trigger className="group flex w-full gap-2 rounded py-0.5 text-left hover:bg-sunk">
          <Mark className={`mt-0.5 size-3.5 shrink-0 ${color}`} aria-label={word} />
          <span className="line-clamp-2 min-w-0 grow font-[560] group-data-[state=open]:line-clamp-none">
            {whole(finding.reason)}.
          </span>
          <ChevronRight className="mt-0.5 size-3.5 shrink-0 text-ink-3 transition-transform group-data-[state=open]:rotate-90" />
        </Collapsible.Trigger>
        <Collapsible.Content className="pl-[22px]">
          <p className="text-ink-2">{finding.remedy}.</p>
          {noting && (
            <NoteBox onKeep={(note) => accept({ ...about, note })} onDrop={() => setNoting(false)} />
          )}
          <div className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
            {finding.fixes?.map((fix) => (
              <Button
                key={fix.words}
                className="h-6! px-2!"
                onClick={() => take([{ file: finding.place.file, step: fix.step, on: fix.on }])}
              >
                {fix.words}
              </Button>
            ))}
            {finding.remedies?.map((remedy) => (
              <Button
                key={remedy.words}
                className="h-6! px-2!"
                onClick={() => edit((recipe) => withChanges(recipe, remedy.changes))}
              >
                {remedy.words}
              </Button>
            ))}
            {point && <LinkButton onClick={() => showPlace(finding, onLow)}>Show the place</LinkButton>}
            {run && place && (
              <LinkButton onClick={() => traceAt(run, finding.place.sheet ?? 0, place)}>Trace it</LinkButton>
            )}
            {finding.kind === "lean" && (
              <LinkButton onClick={() => open({ stop: "reach" })}>All at Reach</LinkButton>
            )}
            {may && !noting && <LinkButton onClick={() => setNoting(true)}>Accept</LinkButton>}
          </div>
        </Collapsible.Content>
      </Collapsible.Root>
    </li>
  );
}

function NoteBox({ onKeep, onDrop }: { onKeep: (note: string) => void; onDrop: () => void }) {
  const [note, setNote] = useState("");
  const keep = () => note.trim() !== "" && onKeep(note.trim().slice(0, 200));
  return (
    <div className="mt-1 flex gap-1.5">
      <input
        // biome-ignore lint/a11y/noAutofocus: it opens on a click that asks for it
        autoFocus
        aria-label="Why it is accepted"
        placeholder="Why it is accepted"
        value={note}
        onChange={(e) => setNote(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") keep();
          if (e.key === "Escape") onDrop();
        }}
        className="h-6 min-w-0 grow rounded bg-sunk px-1.5 outline-none focus:ring-1 focus:ring-ember"
      />
      <Button disabled={note.trim() === ""} className="h-6!" onClick={keep}>
        Accept
      </Button>
    </div>
  );
}
