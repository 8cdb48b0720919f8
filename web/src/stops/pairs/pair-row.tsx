// The row of a pair with the parts it sees, dragged from one to another, and the row of parts that none sees.
import { X } from "lucide-react";
import { useState } from "react";
import { useAsset, useRecipe } from "../../api/queries";
import type { PairedPart, PairView } from "../../api/types";
import { show, useView } from "../../stages/view";
import type { Place } from "../../ui/long-list";
import { PartSearch } from "../../ui/part-search";
import { Badge, IconButton, LinkButton } from "../../ui/parts";

/** Parts are dragged under this name. */
const DRAGGED = "application/x-ember-part";

/** Changes which low-poly parts see a part of the sculpt, by hand. */
function usePairing() {
  const asset = useAsset().data;
  const [, edit] = useRecipe();
  const seenBy = (high: string) =>
    asset?.pairs.filter((p) => p.high.some((h) => h.name === high && !h.by_default)).map((p) => p.low) ?? [];
  const put = (high: string, low: string[]) =>
    edit((r) => ({
      ...r,
      hand_pairs: [...(r.hand_pairs ?? []).filter((p) => p.high !== high), { high, low }],
    }));
  return {
    move: (high: string, low: string) => put(high, [low]),
    add: (high: string, low: string) => put(high, [...seenBy(high).filter((l) => l !== low), low]),
    remove: (high: string, low: string) =>
      put(
        high,
        seenBy(high).filter((l) => l !== low),
      ),
    byRule: (high: string) =>
      edit((r) => ({ ...r, hand_pairs: (r.hand_pairs ?? []).filter((p) => p.high !== high) })),
  };
}

export function PairRow({ pair, place }: { pair: PairView; place: Place }) {
  const solo = useView((s) => s.solo);
  const { move, add } = usePairing();
  const [over, setOver] = useState(false);
  const asset = useAsset().data;
  const own = pair.high.filter((h) => !h.by_default);
  const others = (asset?.meshes ?? [])
    .filter((m) => m.role === "high")
    .flatMap((m) => m.summary.parts.map((p) => p.name))
    .filter((name) => !own.some((h) => h.name === name));
  return (
    <li
      {...place}
      aria-label={pair.low}
      className={`flex gap-2 rounded py-1.5 ${over ? "bg-sunk ring-1 ring-ember" : ""}`}
      onDragOver={(e) => {
        if (!e.dataTransfer.types.includes(DRAGGED)) return;
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        const part = e.dataTransfer.getData(DRAGGED);
        if (part === "") return;
        if (e.ctrlKey) add(part, pair.low);
        else move(part, pair.low);
      }}
    >
      <Badge number={pair.number} />
      <div className="min-w-0 grow">
        <div className="flex items-center gap-2">
          <b className="min-w-0 grow truncate">{pair.low}</b>
          <button
            type="button"
            aria-pressed={solo === pair.number}
            aria-label={`Show ${pair.low} alone`}
            className={`h-5 rounded px-1.5 text-xs ${solo === pair.number ? "bg-ink text-sheet" : "text-ink-2 hover:bg-sunk"}`}
            onClick={() => show({ solo: solo === pair.number ? null : pair.number })}
          >
            alone
          </button>
        </div>
        {own.length === 0 && (
          <p className="text-ink-3">
            {pair.high.length === 0 ? "sees nothing" : "no match, so it sees the whole sculpt"}
          </p>
        )}
        <ul className="mt-0.5 flex flex-wrap gap-1">
          {own.map((h) => (
            <PartChip key={h.name} part={h} low={pair.low} />
          ))}
        </ul>
        {others.length > 0 && (
          <PartSearch
            label={pair.low}
            words={own.length === 0 ? "Choose what it sees" : "Add a part"}
            parts={others}
            onChoose={(part) => add(part, pair.low)}
          />
        )}
      </div>
    </li>
  );
}

const CHIP =
  "flex max-w-full cursor-grab items-center gap-1.5 rounded border border-line bg-sheet px-1.5 leading-5 active:cursor-grabbing";

function PartChip({ part, low }: { part: PairedPart; low: string }) {
  const { remove, byRule } = usePairing();
  return (
    <li
      draggable
      onDragStart={(e) => e.dataTransfer.setData(DRAGGED, part.name)}
      title={`${part.name}: ${part.why}. Drag it onto another pair; with Ctrl both see it`}
      className={CHIP}
    >
      <span className="truncate">{part.name}</span>
      {part.by_hand ? (
        <LinkButton
          className="text-xs"
          aria-label={`${part.name}: reset to rule`}
          onClick={() => byRule(part.name)}
        >
          manual
        </LinkButton>
      ) : (
        <span className="shrink-0 text-xs text-ink-3">{part.why}</span>
      )}
      <IconButton aria-label={`${low} no longer sees ${part.name}`} onClick={() => remove(part.name, low)}>
        <X className="size-3" />
      </IconButton>
    </li>
  );
}

/** Parts of the sculpt that no ray may hit. */
export function Unseen() {
  const asset = useAsset().data;
  const { byRule } = usePairing();
  const [recipe] = useRecipe();
  const byHand = new Set(recipe?.hand_pairs?.map((p) => p.high));
  return (
    <section className="border-t border-line py-1.5" aria-label="Unpaired parts">
      <b>Unpaired</b>
      <ul className="mt-0.5 flex flex-wrap gap-1">
        {asset?.unseen.map((name) => (
          <li
            key={name}
            draggable
            onDragStart={(e) => e.dataTransfer.setData(DRAGGED, name)}
            className={`${CHIP} border-dashed`}
          >
            <span className="truncate">{name}</span>
            {byHand.has(name) && (
              <LinkButton className="text-xs" onClick={() => byRule(name)}>
                reset to rule
              </LinkButton>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}
