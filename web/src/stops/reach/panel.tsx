// Reach: how far rays start outside the low-poly and how far they go in, and which way they run, tuned while looking.
import { useProofs } from "../../api/proofs";
import { useAsset, useRecipe } from "../../api/queries";
import type { Recipe } from "../../api/types";
import { Row, Section, Segment, StopHead } from "../../ui/parts";
import { Slider } from "../../ui/slider";
import { Tick } from "../../ui/tick";
import { ImportFirst } from "../next-step";
import { BrushSection } from "./brush-section";
import { CageSection } from "./cage-section";
import { DistanceRow } from "./distance-row";
import { FitSection } from "./fit-section";
import { useEnvelope } from "./live";
import { PartsSection } from "./parts-section";
import { setReach, useReach } from "./state";

export function ReachStop() {
  const [recipe] = useRecipe();
  const asset = useAsset().data;
  const follow = useProofs((s) => s.follow);
  if (!recipe) return null;
  return (
    <>
      <StopHead title="Reach">Where rays start outside the low-poly, and how far they go in.</StopHead>
      {asset?.missing && <ImportFirst missing={asset.missing} />}
      <FitSection />
      <WholeAsset />
      <PartsSection />
      <BrushSection />
      <Needles />
      <Rays />
      <CageSection />
      <Section>
        <Tick checked={follow} onChange={(on) => useProofs.setState({ follow: on })}>
          Follow each change with a proof
        </Tick>
      </Section>
    </>
  );
}

function WholeAsset() {
  const [recipe, edit] = useRecipe();
  const header = useEnvelope()?.header;
  if (!recipe) return null;
  const diagonal = header?.diagonal ?? 1;
  const put = (reach: Partial<Recipe["reach"]>) => edit((r) => ({ ...r, reach: { ...r.reach, ...reach } }));
  return (
    <Section title="Whole asset" aside={<span className="text-xs text-ink-3">scene units</span>}>
      <DistanceRow
        label="Reach out"
        of="the whole asset"
        hint="Too short clips raised detail; too long hits the neighbour first."
        value={recipe.reach.out}
        longest={header?.reach.out ?? 0}
        diagonal={diagonal}
        onChange={(out) => put({ out })}
      />
      <DistanceRow
        label="Reach in"
        of="the whole asset"
        hint="Must reach the deepest carving; too long hits the far side. Point here to see the inner envelope."
        onPoint={(inner) => setReach({ inner })}
        value={recipe.reach.in}
        longest={header?.reach.in ?? 0}
        diagonal={diagonal}
        onChange={(inward) => put({ in: inward })}
      />
    </Section>
  );
}

const MOST_NEEDLES = 12000;

function Needles() {
  const { needles, needlePart } = useReach();
  return (
    <Section title="Needles" aside={<span className="num text-ink-3">{needles}</span>}>
      <Slider
        label="How many needles are drawn"
        min={0}
        max={100}
        step={1}
        value={Math.round(100 * Math.sqrt(needles / MOST_NEEDLES))}
        text={String(needles)}
        onChange={(share) => setReach({ needles: Math.round(((share / 100) ** 2 * MOST_NEEDLES) / 50) * 50 })}
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
        label="Hit"
        hint={
          recipe.hit === "outermost"
            ? "The first surface from outside."
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
