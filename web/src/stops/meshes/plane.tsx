// A plane made here as the low-poly: for flat details and for tiles that repeat.
import { api } from "../../api/client";
import { say, settled, useActions, useAsset, useRecipe } from "../../api/queries";
import type { Facing, PlaneTarget } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { Button, Row, Segment } from "../../ui/parts";
import { Tick } from "../../ui/tick";

const FACINGS: readonly (readonly [Facing, string])[] = [
  ["x", "X"],
  ["y", "Y up"],
  ["z", "Z"],
];
/** Which coordinate is the height, and which run along width and height of the picture. */
const AXES: Record<Facing, { out: 0 | 1 | 2; along: [0 | 1 | 2, 0 | 1 | 2] }> = {
  x: { out: 0, along: [2, 1] },
  y: { out: 1, along: [0, 2] },
  z: { out: 2, along: [0, 1] },
};
const NAMES = ["X", "Y", "Z"] as const;

export function PlaneSection({ made }: { made: boolean }) {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const { put } = useActions();
  const plane = recipe?.low.find((s) => s.plane)?.plane;
  if (!asset || !recipe) return null;
  const make = async (facing: Facing) => {
    try {
      await settled();
      put(await api.makePlane(asset.id, facing));
    } catch (error) {
      say(error);
    }
  };
  if (!plane) {
    if (made) return null;
    return (
      <div className="mt-1.5">
        <Button className="w-full" onClick={() => make("y")}>
          Make a plane instead
        </Button>
        <p className="mt-1 text-xs text-ink-3">
          For a flat detail or a tile: as large as the sculpt, at height 0.
        </p>
      </div>
    );
  }
  const change = (by: Partial<PlaneTarget>) =>
    edit((r) => ({
      ...r,
      low: r.low.map((s) => (s.plane ? { ...s, plane: { ...s.plane, ...by } } : s)),
    }));
  const { out, along } = AXES[plane.facing];
  const size = Math.max(...plane.size);
  const step = 10 ** Math.floor(Math.log10(Math.max(1e-6, size / 400)));
  const digits = Math.max(0, -Math.log10(step));
  const number = (label: string, value: number, min: number, put: (v: number) => void) => (
    <NumberField
      label={label}
      value={value}
      min={min}
      max={1e6}
      step={step}
      digits={Math.round(digits)}
      onChange={put}
    />
  );
  const moved = (axis: 0 | 1 | 2, to: number) =>
    change({ middle: plane.middle.map((x, i) => (i === axis ? to : x)) as [number, number, number] });
  return (
    <div role="group" aria-label="Plane">
      <Row label="Facing" hint="Choosing another side makes a new plane over the sculpt.">
        <Segment label="Plane faces" options={FACINGS} value={plane.facing} onChange={make} />
      </Row>
      <Row label={`Size, ${NAMES[along[0]]} x ${NAMES[along[1]]}`}>
        {number("Plane width", plane.size[0], 1e-6, (w) => change({ size: [w, plane.size[1]] }))}
        {number("Plane height", plane.size[1], 1e-6, (h) => change({ size: [plane.size[0], h] }))}
      </Row>
      <Row label={`Middle, ${NAMES[along[0]]} and ${NAMES[along[1]]}`}>
        {along.map((axis) => (
          <span key={axis}>
            {number(`Plane middle ${NAMES[axis]}`, plane.middle[axis], -1e6, (v) => moved(axis, v))}
          </span>
        ))}
      </Row>
      <Row label="Height" hint={`Along ${NAMES[out]}: displacement is 0 here.`}>
        {number("Plane offset", plane.middle[out], -1e6, (v) => moved(out, v))}
      </Row>
      <Tick checked={plane.repeats} onChange={(on) => change({ repeats: on })}>
        Tileable edges
      </Tick>
      <p className="text-xs text-ink-3">
        {plane.repeats
          ? "Rays and occlusion wrap around the edges, up to half the plane."
          : "Rays stop at the edges."}
      </p>
    </div>
  );
}
