// Reach: how far rays start outside the low-poly and how far they go in, and which way they run, tuned while looking.
import { useRecipe } from "../api/queries";
import type { Recipe } from "../api/types";
import { BrushSection } from "../reach/brush-section";
import { CageSection } from "../reach/cage-section";
import { DistanceRow } from "../reach/distance-row";
import { FitSection } from "../reach/fit-section";
import { useEnvelope } from "../reach/live";
import { PartsSection } from "../reach/parts-section";
import { useStore } from "../state";
import { Row, Section, Segment, StopHead } from "../ui/parts";

export function ReachStop() {
  const [recipe] = useRecipe();
  const { follow, set } = useStore();
  if (!recipe) return null;
  return (
    <>
      <StopHead title="Reach">Where rays start outside the low-poly, and how far they go in.</StopHead>
      <FitSection />
      <WholeAsset />
      <PartsSection />
      <BrushSection />
      <Needles />
      <Rays />
      <CageSection />
      <Section>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={follow}
            onChange={(e) => set({ follow: e.target.checked })}
            className="accent-(--ember)"
          />
          Follow each change with a proof
        </label>
      </Section>
    </>
  );
}

function WholeAsset() {
  const [recipe, edit] = useRecipe();
  const header = useEnvelope()?.header;
  const set = useStore((s) => s.set);
  if (!recipe) return null;
  const diagonal = header?.diagonal ?? 1;
  const put = (reach: Partial<Recipe["reach"]>) => edit((r) => ({ ...r, reach: { ...r.reach, ...reach } }));
  return (
    <Section title="Whole asset" aside={<span className="text-xs text-ink-3">scene units</span>}>
      <DistanceRow
        label="Reach out"
        of="the whole asset"
        hint="Too short clips what stands proud; too long meets the neighbour first."
        value={recipe.reach.out}
        longest={header?.reach.out ?? 0}
        diagonal={diagonal}
        onChange={(out) => put({ out })}
      />
      <DistanceRow
        label="Reach in"
        of="the whole asset"
        hint="Must hold the deepest carving; too long meets the far side. Point here to see the inner envelope."
        onPoint={(inner) => set({ inner })}
        value={recipe.reach.in}
        longest={header?.reach.in ?? 0}
        diagonal={diagonal}
        onChange={(inward) => put({ in: inward })}
      />
    </Section>
  );
}

function Needles() {
  const { needles, needlePart, set } = useStore();
  return (
    <Section title="Needles" aside={<span className="num text-ink-3">{needles}</span>}>
      <input
        type="range"
        aria-label="How many needles are drawn"
        min={0}
        max={100}
        value={Math.round(100 * Math.sqrt(needles / 12000))}
        onChange={(e) =>
          set({ needles: Math.round(((Number(e.target.value) / 100) ** 2 * 12000) / 50) * 50 })
        }
        className="w-full accent-(--ink-2)"
      />
      <p className="text-xs text-ink-3">
        Rays drawn over the model, from start to hit{needlePart ? `, of ${needlePart} only` : ""}.
      </p>
    </Section>
  );
}

function Rays() {
  const [recipe, edit] = useRecipe();
  if (!recipe) return null;
  const put = (change: Partial<Recipe>) => edit((r) => ({ ...r, ...change }));
  return (
    <Section title="Rays">
      <Row
        label="Direction"
        hint={
          recipe.direction === "averaged"
            ? "No gaps at hard edges; details near them lean a little."
            : "Nothing leans; gaps open at hard edges."
        }
      >
        <Segment
          label="Direction"
          options={[
            ["averaged", "Averaged"],
            ["plumb", "Plumb"],
          ]}
          value={recipe.direction}
          onChange={(direction) => put({ direction })}
        />
      </Row>
      <Row
        label="Takes"
        hint={
          recipe.hit === "outermost"
            ? "The first surface met from outside."
            : "The surface nearest to the low-poly."
        }
      >
        <Segment
          label="Hit rule"
          options={[
            ["outermost", "Outermost"],
            ["nearest", "Nearest"],
          ]}
          value={recipe.hit}
          onChange={(hit) => put({ hit })}
        />
      </Row>
      <Row label="Back faces" hint="Faces of the sculpt that look away from the ray.">
        <Segment
          label="Back faces"
          options={[
            ["skip", "Skip"],
            ["keep", "Keep"],
          ]}
          value={recipe.back_faces}
          onChange={(back_faces) => put({ back_faces })}
        />
      </Row>
    </Section>
  );
}
