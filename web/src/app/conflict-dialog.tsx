// Two tabs changed the same setting: both values, and which to keep.
import { Dialog } from "radix-ui";
import { useState } from "react";
import { resolve, useDrafts } from "../api/drafts";
import type { Conflict } from "../api/types";
import { Button } from "../ui/parts";

function shown(value: unknown): string {
  if (value === null || value === undefined) return "removed";
  const text = typeof value === "string" ? value : JSON.stringify(value);
  return text.length > 60 ? `${text.slice(0, 57)}...` : text;
}

const keyOf = (c: Conflict) => JSON.stringify(c.at);

export function ConflictDialog() {
  const conflicts = useDrafts((s) => s.clash?.conflicts);
  if (!conflicts) return null;
  return <Choices key={conflicts.map(keyOf).join()} conflicts={conflicts} />;
}

function Choices({ conflicts }: { conflicts: Conflict[] }) {
  const [mine, setMine] = useState<ReadonlySet<string>>(new Set(conflicts.map(keyOf)));
  const choose = (key: string, own: boolean) => {
    const next = new Set(mine);
    if (own) next.add(key);
    else next.delete(key);
    setMine(next);
  };
  return (
    <Dialog.Root open>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content
          onEscapeKeyDown={(e) => e.preventDefault()}
          onInteractOutside={(e) => e.preventDefault()}
          className="fixed top-1/4 left-1/2 z-50 max-h-[60vh] w-[30rem] -translate-x-1/2 overflow-y-auto rounded border border-line bg-sheet p-4 shadow-lg"
        >
          <Dialog.Title className="text-base font-semibold">Changed in two places</Dialog.Title>
          <Dialog.Description className="my-2 text-ink-2">
            These settings were also changed elsewhere, in another tab or by an upload. Choose a value for
            each; all other edits of both sides are kept.
          </Dialog.Description>
          <table className="w-full">
            <thead>
              <tr className="text-left text-ink-3">
                <th className="py-1 font-normal">Setting</th>
                <th className="py-1 font-normal">Yours</th>
                <th className="py-1 font-normal">Theirs</th>
              </tr>
            </thead>
            <tbody className="divide-y divide-line">
              {conflicts.map((c) => {
                const key = keyOf(c);
                return (
                  <tr key={key}>
                    <th scope="row" className="py-1.5 pr-2 text-left font-semibold first-letter:uppercase">
                      {c.words}
                    </th>
                    {([true, false] as const).map((own) => (
                      <td key={String(own)} className="py-1.5 pr-2">
                        <label className="flex items-center gap-1.5">
                          <input
                            type="radio"
                            className="accent-(--ember)"
                            name={key}
                            checked={mine.has(key) === own}
                            onChange={() => choose(key, own)}
                            aria-label={`${c.words}: keep ${own ? "yours" : "theirs"}`}
                          />
                          <span className="num break-all">{shown(own ? c.mine : c.theirs)}</span>
                        </label>
                      </td>
                    ))}
                  </tr>
                );
              })}
            </tbody>
          </table>
          <div className="mt-3 flex justify-end">
            <Button onClick={() => resolve(mine)}>Keep these</Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
