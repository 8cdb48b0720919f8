// What is done to selected islands: scaled, turned, moved, softly or whole, and mirror images stacked.
import { useState } from "react";
import { useAsset, useUvReport } from "../../../api/queries";
import type { Axis, UvOrder } from "../../../api/types";
import { Fold } from "../../../ui/fold";
import { NumberField } from "../../../ui/number-field";
import { Row } from "../../../ui/parts";
import { Tick } from "../../../ui/tick";
import { useMeshes } from "../state";
import { Do } from "./do";
import { setUvs, useUvs } from "./state";

const AXES: readonly Axis[] = ["x", "y", "z"];

export function IslandTools() {
  const triangles = [...useUvs((s) => s.chosen)];
  const report = useUvReport().data;
  const target = useMeshes((s) => s.target);
  const [scale, setScale] = useState(1.25);
  const [turn, setTurn] = useState(90);
  const [step, setStep] = useState(0.05);
  const within = useUvs((s) => s.within);
  const none = triangles.length === 0;
  const moved = (change: Partial<Extract<UvOrder, { edit: "move" }>>): UvOrder => ({
    edit: "move",
    triangles,
    scale: [1, 1],
    turn: 0,
    by: [0, 0],
    within,
    ...change,
  });
  if (none)
    return (
      <>
        <Soft />
        <Stack />
      </>
    );
  const texels = target ?? (report ? report.median_density * report.size : 1);
  return (
    <Fold title="Transform the selection" startsOpen>
      <Row label="Scale">
        <Do order={moved({ scale: [scale, scale] })}>Scale</Do>
        <NumberField
          label="Scale by"
          value={scale}
          unit="x"
          min={0.01}
          max={100}
          step={0.05}
          digits={2}
          onChange={setScale}
        />
      </Row>
      <Row label="Turn">
        <Do order={moved({ turn })}>Turn</Do>
        <NumberField
          label="Turn by"
          value={turn}
          unit="°"
          min={-180}
          max={180}
          step={15}
          onChange={setTurn}
        />
      </Row>
      <Row label="Move, UV units">
        <NumberField
          label="Move by"
          value={step}
          min={0.001}
          max={1}
          step={0.01}
          digits={3}
          onChange={setStep}
        />
      </Row>
      <div className="mt-1 flex gap-1">
        <Do order={moved({ by: [-step, 0] })}>Left</Do>
        <Do order={moved({ by: [step, 0] })}>Right</Do>
        <Do order={moved({ by: [0, -step] })}>Down</Do>
        <Do order={moved({ by: [0, step] })}>Up</Do>
        <Do order={moved({ scale: [-1, 1], within: null })}>Flip</Do>
      </div>
      <Row label="Density" hint="The target set under Layout, texels per scene unit.">
        <Do order={{ edit: "density", triangles, texels }}>{`To ${texels.toFixed(texels < 100 ? 1 : 0)}`}</Do>
      </Row>
      <Soft />
      <Stack />
    </Fold>
  );
}

/** Only what lies near the pointer, less and less towards the radius. */
function Soft() {
  const within = useUvs((s) => s.within);
  const mesh = useAsset().data?.meshes.find((m) => m.role === "low");
  const size = mesh
    ? Math.hypot(...mesh.summary.low_corner.map((low, i) => (mesh.summary.high_corner[i] ?? low) - low))
    : 1;
  const digits = Math.max(0, 3 - Math.floor(Math.log10(size)));
  return (
    <>
      <Tick
        checked={within !== null}
        onChange={(on) => setUvs({ within: on ? Number((size / 8).toFixed(digits)) : null })}
      >
        Soft: only what lies near the pointer
      </Tick>
      {within !== null && (
        <Row
          label="Radius"
          hint="Scene units along the surface; the move falls off to nothing there, and stops short of flipping a face."
        >
          <NumberField
            label="Radius of soft moves"
            value={within}
            min={10 ** -digits}
            max={size}
            step={size / 100}
            digits={digits}
            onChange={(within) => setUvs({ within })}
          />
        </Row>
      )}
    </>
  );
}

/** Mirror images stacked. */
function Stack() {
  return (
    <Row label="Stack mirror images" hint="Islands that mirror each other across this axis share texels.">
      {AXES.map((axis) => (
        <Do key={axis} order={{ edit: "stack", axis }}>
          {axis.toUpperCase()}
        </Do>
      ))}
    </Row>
  );
}
