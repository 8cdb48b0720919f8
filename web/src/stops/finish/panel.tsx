// Finish: finishes and masks, placed by what the bake measures. Of masks the list, and the open one in the order of thought: where it
// lies, how it breaks up, what is done to it afterwards, how it is baked.
import { useAsset, useRecipe } from "../../api/queries";
import type { Mask } from "../../api/types";
import { Segment, StopHead } from "../../ui/parts";
import { ImportFirst } from "../next-step";
import { AddMask } from "./add-mask";
import { AfterSection } from "./after-section";
import { BakeSection } from "./bake-section";
import { FinishesPanel } from "./coats/panel";
import { useOpenMask } from "./edit";
import { ExamplesSection } from "./examples-section";
import { MaskHead } from "./mask-head";
import { MaskList } from "./mask-list";
import { setFinish, type Tab, useFinish } from "./state";
import { WhereSection } from "./where-section";

export function FinishStop() {
  const asset = useAsset().data;
  const [recipe] = useRecipe();
  const mask = useOpenMask();
  const tab = useFinish((s) => s.tab);
  if (!asset || !recipe) return null;
  return (
    <>
      <StopHead title="Finish">Surfaces and masks, placed by what the bake measures.</StopHead>
      <div className="px-3 pb-2.5">
        <Segment
          label="Finishes or masks"
          options={TABS}
          value={tab}
          wide
          onChange={(to) => setFinish({ tab: to, term: 0, hand: null, examples: [], proposals: null })}
        />
      </div>
      {asset.recipe.low.length === 0 && <ImportFirst missing="low-poly" />}
      {tab === "finishes" ? <FinishesPanel /> : <MasksPanel mask={mask} />}
    </>
  );
}

const TABS: readonly (readonly [Tab, string])[] = [
  ["finishes", "Finishes"],
  ["masks", "Masks"],
];

function MasksPanel({ mask }: { mask: Mask | null }) {
  return (
    <>
      <MaskList />
      <AddMask />
      {mask && (
        <div key={mask.name}>
          <MaskHead mask={mask} />
          <WhereSection mask={mask} />
          <ExamplesSection mask={mask} />
          <AfterSection mask={mask} />
          <BakeSection mask={mask} />
        </div>
      )}
    </>
  );
}
