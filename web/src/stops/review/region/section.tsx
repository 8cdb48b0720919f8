// A region at Review: chosen on the sheet or the model, baked by itself into the run on screen.

import { useActions, useRecipe, useShownRun } from "../../../api/queries";
import { Button, Section } from "../../../ui/parts";
import { chooseRegion, clearRegion, useRegionHand } from "./state";

export function RegionSection() {
  const run = useShownRun();
  const [recipe] = useRecipe();
  const { bakeRegion } = useActions();
  const { choosing, rectangles } = useRegionHand();
  if (!run?.report || !recipe) return null;
  const { size, samples } = recipe.sheet;
  const chosen = rectangles.length > 0;
  return (
    <Section
      title="Bake a region"
      aside={
        (choosing || chosen) && (
          <Button look="quiet" onClick={clearRegion}>
            Clear
          </Button>
        )
      }
    >
      <p className="mb-1.5 text-xs text-ink-3">
        {choosing
          ? "Drag rectangles on the sheet, or paint on the model. "
          : `Part of the sheet, into run ${run.number} as it is on screen. `}
        At final quality: {size} px, {samples} {samples === 1 ? "sample" : "samples"} per texel.
      </p>
      <div className="flex gap-1.5">
        <Button aria-pressed={choosing} onClick={() => chooseRegion(!choosing)}>
          {choosing ? "Stop choosing" : chosen ? "Choose more" : "Choose the region"}
        </Button>
        {chosen && (
          <Button look="strong" onClick={() => bakeRegion(run.id, [...rectangles], clearRegion)}>
            Bake it
          </Button>
        )}
      </div>
    </Section>
  );
}
