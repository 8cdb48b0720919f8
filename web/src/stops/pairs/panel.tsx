// Pairs: which parts of the sculpt each low-poly part may see: by rule, with what the rule ignores, and manually.
import { useAsset, useRecipe } from "../../api/queries";
import { show, useView } from "../../stages/view";
import { LongList } from "../../ui/long-list";
import { LinkButton, Section, Segment, StopHead } from "../../ui/parts";
import { Slider } from "../../ui/slider";
import { Tick } from "../../ui/tick";
import { FindingCard, findingKey } from "../findings/finding-card";
import { FindingList } from "../findings/finding-list";
import { ImportFirst } from "../next-step";
import { PairRow, Unseen } from "./pair-row";
import { setBadges, usePairs } from "./state";
import { EndingsSection } from "./suffixes";

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
        <LongList
          items={asset.pairs}
          keyOf={(p) => p.low}
          height={80}
          className="divide-y divide-line"
          label="Pairs"
        >
          {(p, place) => <PairRow key={p.number} pair={p} place={place} />}
        </LongList>
        {asset.unseen.length > 0 && <Unseen />}
      </Section>
      {asset.pair_findings.length > 0 && (
        <Section title="Findings">
          <FindingList
            findings={asset.pair_findings}
            card={(f, place) => <FindingCard key={findingKey(f)} finding={f} may place={place} />}
          />
        </Section>
      )}
    </>
  );
}

function TakeBackAll() {
  const [recipe, edit] = useRecipe();
  if (!recipe?.hand_pairs?.length) return null;
  return <LinkButton onClick={() => edit((r) => ({ ...r, hand_pairs: [] }))}>Reset to rule</LinkButton>;
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
