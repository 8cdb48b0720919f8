// Pairs: which parts of the sculpt each low-poly part may see: by rule, with what the rule ignores, and manually.
import { X } from "lucide-react";
import { useState } from "react";
import { useAsset, useRecipe } from "../../api/queries";
import type { PairedPart, PairView } from "../../api/types";
import { show, useView } from "../../stages/view";
import { PartSearch } from "../../ui/part-search";
import { Badge, IconButton, LinkButton, Section, Segment, StopHead } from "../../ui/parts";
import { Slider } from "../../ui/slider";
import { Tick } from "../../ui/tick";
import { FindingCard } from "../findings/finding-card";
import { FindingList } from "../findings/finding-list";
import { ImportFirst } from "../next-step";
import { setBadges, usePairs } from "./state";
import { EndingsSection } from "./suffixes";

/** Parts are dragged under this name. */
const DRAGGED = "application/x-ember-part";

const HINTS = {
  names: "Suffixes are ignored: cap_low sees cap_high and cap_rivets_high.",
  space: "Each part of the sculpt pairs with the low-poly part nearest to most of it; the share is shown.",
  all: "Every low-poly part sees the whole sculpt: neighbours may bleed into each other.",
};

export function PairsStop() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  if (!asset || !recipe) return null;
  return (
    <>
      <StopHead title="Pairs">
        Which parts of the sculpt each low-poly part may see, so that neighbours do not bleed.
      </StopHead>
      <Section>
        <Segment
          label="Pairing"
          wide
          options={[
            ["names", "By names"],
            ["space", "By space"],
            ["all", "All see all"],
          ]}
          value={recipe.pairing}
          onChange={(pairing) => edit((r) => ({ ...r, pairing }))}
        />
        <p className="mt-1.5 text-xs text-ink-3">{HINTS[recipe.pairing]}</p>
      </Section>
      {asset.missing && <ImportFirst missing={asset.missing} />}
      {recipe.pairing === "names" && <EndingsSection />}
      <ApartSection />
      <Section title="Paired parts" aside={<TakeBackAll />}>
        <ul className="divide-y divide-line" aria-label="Pairs">
          {asset.pairs.map((p) => (
            <PairRow key={p.number} pair={p} />
          ))}
          {asset.unseen.length > 0 && <UnseenRow />}
        </ul>
      </Section>
      {asset.pair_findings.length > 0 && (
        <Section title="Findings">
          <FindingList
            findings={asset.pair_findings}
            card={(f) => <FindingCard key={f.reason} finding={f} may />}
          />
        </Section>
      )}
    </>
  );
}

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

function TakeBackAll() {
  const [recipe, edit] = useRecipe();
  if (!recipe?.hand_pairs?.length) return null;
  return <LinkButton onClick={() => edit((r) => ({ ...r, hand_pairs: [] }))}>Reset to rule</LinkButton>;
}

function PairRow({ pair }: { pair: PairView }) {
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
function UnseenRow() {
  const asset = useAsset().data;
  const { byRule } = usePairing();
  const [recipe] = useRecipe();
  const byHand = new Set(recipe?.hand_pairs?.map((p) => p.high));
  return (
    <li className="py-1.5" aria-label="Unpaired parts">
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
    </li>
  );
}

function ApartSection() {
  const apart = useView((s) => s.apart);
  const badges = usePairs((s) => s.badges);
  const pairs = useAsset().data?.pairs ?? [];
  if (pairs.length < 2) return null;
  return (
    <Section title="On the stage">
      <div className="flex items-center gap-2">
        <span className="w-16 text-ink-2">Apart</span>
        <Slider
          label="Pull pairs apart"
          min={0}
          max={1}
          step={0.01}
          value={apart}
          text={`${Math.round(apart * 100)} %`}
          onChange={(v) => show({ apart: v })}
        />
        <span className="num w-10 text-right">{Math.round(apart * 100)} %</span>
      </div>
      <p className="text-xs text-ink-3">On screen only. Bakes are not affected.</p>
      <Tick checked={badges} onChange={(on) => setBadges(on)}>
        Numbers on model and sheet
      </Tick>
    </Section>
  );
}
