// Reach: how far rays start outside the low-poly and how far they go in, tuned while looking.
import { useReach, useRecipe } from "../api/queries";
import type { Distance, Recipe } from "../api/types";
import { useStore } from "../state";
import { NumberField } from "../ui/number-field";
import { Button, Row, Section, Segment, StopHead } from "../ui/parts";

export function ReachStop() {
  const [recipe, edit] = useRecipe();
  const measured = useReach();
  const { follow, set } = useStore();
  if (!recipe) return null;
  const suggested = measured.data?.reach.suggested ?? null;
  const diagonal = measured.data?.diagonal ?? 1;
  const put = (change: Partial<Recipe>) => edit((r) => ({ ...r, ...change }));
  return (
    <>
      <StopHead title="Reach">Where rays start outside the low-poly, and how far they go in.</StopHead>
      <Section title="Measured from the meshes">
        {measured.isFetching && <p className="animate-pulse text-ink-3">Measuring…</p>}
        {measured.isError && <p className="text-ink-2">{measured.error.message}</p>}
        {suggested && (
          <>
            <p>
              Out <b className="num">{suggested.out.toPrecision(3)}</b> and in{" "}
              <b className="num">{suggested.in.toPrecision(3)}</b> hold{" "}
              <b className="num">{(suggested.enclosed * 100).toFixed(2)} %</b> of the sculpt as probed from
              the low-poly.
            </p>
            <Button
              className="mt-2"
              disabled={recipe.reach.out === "auto" && recipe.reach.in === "auto"}
              onClick={() => put({ reach: { out: "auto", in: "auto" } })}
            >
              Use what is measured
            </Button>
          </>
        )}
      </Section>
      <Section title="Whole asset" aside={<span className="text-xs text-ink-3">scene units</span>}>
        <DistanceRow
          label="Reach out"
          hint="Too short clips what stands proud; too long meets the neighbour first."
          value={recipe.reach.out}
          measured={suggested?.out}
          diagonal={diagonal}
          onChange={(out) => put({ reach: { ...recipe.reach, out } })}
        />
        <DistanceRow
          label="Reach in"
          hint="Must hold the deepest carving; too long meets the far side. Point here to see the inner envelope."
          onPoint={(inner) => set({ inner })}
          value={recipe.reach.in}
          measured={suggested?.in}
          diagonal={diagonal}
          onChange={(inward) => put({ reach: { ...recipe.reach, in: inward } })}
        />
      </Section>
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
      <Section>
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={follow}
            onChange={(e) => set({ follow: e.target.checked })}
            className="accent-(--ember)"
          />
          Bake a proof after each change
        </label>
      </Section>
    </>
  );
}

function DistanceRow(props: {
  label: string;
  hint: string;
  value: Distance;
  measured: number | undefined;
  diagonal: number;
  onPoint?: (pointed: boolean) => void;
  onChange: (value: Distance) => void;
}) {
  const { label, hint, value, measured, diagonal, onPoint, onChange } = props;
  const auto = value === "auto";
  const units = auto ? (measured ?? 0) : value;
  // Steps and digits follow the asset's size: a drag of a hand's width spans a useful range on any of them.
  const step = 10 ** Math.floor(Math.log10(diagonal / 2000));
  const digits = Math.max(0, -Math.floor(Math.log10(step)) + 1);
  const percent = (100 * units) / diagonal;
  return (
    <div
      role="group"
      aria-label={`${label} of the whole asset`}
      className="py-1"
      onPointerEnter={() => onPoint?.(true)}
      onPointerLeave={() => onPoint?.(false)}
      onFocus={() => onPoint?.(true)}
      onBlur={() => onPoint?.(false)}
    >
      <div className="flex items-center gap-2">
        <span className="w-[68px] text-ink-2">{label}</span>
        <input
          type="range"
          aria-label={`${label}, share of the asset`}
          min={0}
          max={100}
          step={0.5}
          value={Math.min(100, 100 * Math.sqrt(Math.max(0, percent) / 20))}
          onChange={(e) =>
            onChange(Number((diagonal * 0.2 * (Number(e.target.value) / 100) ** 2).toFixed(digits)))
          }
          className="min-w-0 grow accent-(--ink-2)"
        />
        <NumberField
          label={label}
          value={units}
          min={0}
          max={diagonal}
          step={step}
          digits={digits}
          onChange={onChange}
        />
      </div>
      <div className="flex justify-between pl-[76px] text-xs text-ink-3">
        <span>
          {percent.toFixed(2)} % of the asset{auto ? ", measured" : ""}
        </span>
        {!auto && (
          <button
            type="button"
            className="underline underline-offset-2 hover:text-ink"
            onClick={() => onChange("auto")}
          >
            measure
          </button>
        )}
      </div>
      <p className="mt-0.5 text-xs text-ink-3">{hint}</p>
    </div>
  );
}
