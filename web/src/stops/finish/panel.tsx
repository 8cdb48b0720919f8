// Finish: masks placed by what the bake measures. The list of them, and the open one in the order of thought: where it lies, how it
// breaks up, what is done to it afterwards, how it is baked.
import { useAsset, useRecipe } from "../../api/queries";
import { StopHead } from "../../ui/parts";
import { ImportFirst } from "../next-step";
import { AddMask } from "./add-mask";
import { AfterSection } from "./after-section";
import { BakeSection } from "./bake-section";
import { useOpenMask } from "./edit";
import { ExamplesSection } from "./examples-section";
import { MaskHead } from "./mask-head";
import { MaskList } from "./mask-list";
import { WhereSection } from "./where-section";

export function FinishStop() {
  const asset = useAsset().data;
  const [recipe] = useRecipe();
  const mask = useOpenMask();
  if (!asset || !recipe) return null;
  return (
    <>
      <StopHead title="Finish">Masks for wear, dirt and regions, placed by what the bake measures.</StopHead>
      {asset.recipe.low.length === 0 && <ImportFirst missing="low-poly" />}
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
