// A finding: what is wrong, what to do about it, where it is, and what can be done here by one click.
import { CircleAlert, CircleCheck, Info, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { useRecipe } from "../api/queries";
import type { Finding, Fix, MeshSource, Recipe, RunView, Severity } from "../api/types";
import { traceAt } from "../reach/trace";
import { useStore } from "../state";

const MARKS: Record<Severity, { icon: typeof Info; color: string; word: string }> = {
  fault: { icon: CircleAlert, color: "text-madder", word: "Fault" },
  warning: { icon: TriangleAlert, color: "text-ochre", word: "Warning" },
  note: { icon: Info, color: "text-ink-3", word: "Note" },
};

/** The recipe with a finding's fix recorded as a step of the files it is for. */
export function withFix(recipe: Recipe, finding: Finding, fix: Fix): Recipe {
  const taken = (s: MeshSource): MeshSource => ({ ...s, steps: [...(s.steps ?? []), fix.step] });
  if (fix.on === "sculpt") return { ...recipe, high: recipe.high.map(taken) };
  const file = finding.place.file;
  const own = (side: MeshSource[]) => side.map((s) => (s.file === file ? taken(s) : s));
  return recipe.low.some((s) => s.file === file)
    ? { ...recipe, low: own(recipe.low) }
    : { ...recipe, high: own(recipe.high) };
}

export function useShowPlace() {
  const lookAt = useStore((s) => s.lookAt);
  const set = useStore((s) => s.set);
  return (finding: Finding, onLow: boolean) => {
    const { point, uv, part, triangles } = finding.place;
    lookAt(point);
    set({ lit: onLow && triangles.length > 0 ? triangles : null });
    if (uv) {
      const [u, v] = [uv[0] - Math.floor(uv[0]), uv[1] - Math.floor(uv[1])];
      const sheet = finding.place.sheet ?? useStore.getState().sheet;
      set({
        sheet,
        hover: { from: "model", uv: [u, v], sheet, point, part, triangle: triangles[0] ?? null },
      });
    }
  };
}

const LINK = "text-ember-strong underline underline-offset-2 hover:no-underline";

/** `onLow`: its triangles are the low-poly's, so that they can be lit there. `may`: the artist may let it stand. */
/** `run`: the run it is about, whose texels can be traced. */
export function FindingCard(props: { finding: Finding; onLow?: boolean; may?: boolean; run?: RunView }) {
  const { finding, onLow = false, may = false, run } = props;
  const set = useStore((s) => s.set);
  const place = finding.place.uv;
  const { icon: Mark, color, word } = MARKS[finding.severity];
  const [, edit] = useRecipe();
  const [noting, setNoting] = useState(false);
  const show = useShowPlace();
  const { point, part } = finding.place;
  const about = (e: { kind: string; part?: string | null }) =>
    e.kind === finding.kind && (e.part ?? null) === part;
  const allow = (note: string) =>
    edit((r) => ({ ...r, exceptions: [...(r.exceptions ?? []), { kind: finding.kind, part, note }] }));
  const takeBack = () => edit((r) => ({ ...r, exceptions: (r.exceptions ?? []).filter((e) => !about(e)) }));
  if (finding.allowed)
    return (
      <li className="flex gap-2 py-1.5 text-ink-2">
        <CircleCheck className="mt-0.5 size-3.5 shrink-0 text-moss" aria-label="Accepted" />
        <div className="min-w-0">
          <p>{finding.reason}.</p>
          <p className="text-ink-3">
            Accepted: {finding.allowed}.{" "}
            <button type="button" className={LINK} onClick={takeBack}>
              Take back
            </button>
          </p>
        </div>
      </li>
    );
  return (
    <li className="flex gap-2 py-1.5">
      <Mark className={`mt-0.5 size-3.5 shrink-0 ${color}`} aria-label={word} />
      <div className="min-w-0">
        <p className="font-[560]">{finding.reason}.</p>
        <p className="text-ink-2">{finding.remedy}.</p>
        {noting && <NoteBox onKeep={allow} onDrop={() => setNoting(false)} />}
        <div className="mt-1 flex flex-wrap items-center gap-x-3 gap-y-1">
          {finding.fixes?.map((fix) => (
            <button
              key={fix.words}
              type="button"
              className="h-6 rounded border border-line bg-sheet px-2 font-[560] hover:bg-sunk"
              onClick={() => edit((r) => withFix(r, finding, fix))}
            >
              {fix.words}
            </button>
          ))}
          {point && (
            <button type="button" className={LINK} onClick={() => show(finding, onLow)}>
              Show the place
            </button>
          )}
          {run && place && (
            <button
              type="button"
              className={LINK}
              onClick={() => traceAt(run, finding.place.sheet ?? 0, place)}
            >
              Trace it
            </button>
          )}
          {finding.kind === "lean" && (
            <button type="button" className={LINK} onClick={() => set({ stop: "reach" })}>
              Paint plumb at Reach
            </button>
          )}
          {may && !noting && (
            <button type="button" className={LINK} onClick={() => setNoting(true)}>
              Accept
            </button>
          )}
        </div>
      </div>
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
        aria-label="Why it may stand"
        placeholder="Why it may stand"
        value={note}
        onChange={(e) => setNote(e.target.value)}
        onKeyDown={(e) => {
          if (e.key === "Enter") keep();
          if (e.key === "Escape") onDrop();
        }}
        className="h-6 min-w-0 grow rounded bg-sunk px-1.5 outline-none focus:ring-1 focus:ring-ember"
      />
      <button
        type="button"
        disabled={note.trim() === ""}
        className="h-6 rounded border border-line px-2 font-[560] hover:bg-sunk disabled:opacity-45"
        onClick={keep}
      >
        Keep
      </button>
    </div>
  );
}
