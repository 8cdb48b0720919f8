// Maps that send rays from each texel: occlusion, bent normal and thickness.
import type { Falloff } from "../../../api/types";
import { Choice } from "../../../ui/choice";
import { ClearParts, OccludersRow } from "../occluders";
import { RaysRows } from "../rays-rows";
import { DistanceField, FromRow, GreenRow, type RowsOf } from "./shared";

/** How far and how often rays go, and what they may hit. */
function RayRows({ settings, parts, onChange }: RowsOf<"ao" | "bent-normal">) {
  return (
    <>
      <RaysRows value={settings.rays} onChange={(rays) => onChange({ ...settings, rays })} />
      <DistanceField
        label="Distance"
        hint="How far away a surface still darkens."
        map={settings.map}
        of="distance"
        value={settings.distance}
        onChange={(distance) => onChange({ ...settings, distance })}
      />
      {settings.map === "ao" && (
        <Choice<Falloff>
          label="Falloff"
          hint={settings.falloff === "none" ? undefined : "Darkens less with distance."}
          value={settings.falloff}
          options={[
            ["none", "None"],
            ["linear", "Linear"],
          ]}
          onChange={(falloff) => onChange({ ...settings, falloff })}
        />
      )}
      <OccludersRow
        parts={parts}
        value={settings.occluders}
        onChange={(occluders) => onChange({ ...settings, occluders })}
      />
      <ClearParts
        parts={parts}
        value={settings.clear}
        onChange={(clear) => onChange({ ...settings, clear })}
      />
    </>
  );
}

export function OcclusionRows(props: RowsOf<"ao">) {
  const { settings, onChange } = props;
  return (
    <>
      <FromRow value={settings.from} onChange={(from) => onChange({ ...settings, from })} />
      <RayRows {...props} />
    </>
  );
}

export function BentNormalRows(props: RowsOf<"bent-normal">) {
  const { settings, onChange } = props;
  return (
    <>
      <GreenRow value={settings.y} onChange={(y) => onChange({ ...settings, y })} />
      <RayRows {...props} />
    </>
  );
}

export function ThicknessRows({ settings, parts, onChange }: RowsOf<"thickness">) {
  return (
    <>
      <RaysRows value={settings.rays} onChange={(rays) => onChange({ ...settings, rays })} />
      <DistanceField
        label="White at"
        hint="This thickness or more is white."
        map={settings.map}
        of="distance"
        value={settings.distance}
        onChange={(distance) => onChange({ ...settings, distance })}
      />
      <OccludersRow
        parts={parts}
        value={settings.occluders}
        onChange={(occluders) => onChange({ ...settings, occluders })}
      />
    </>
  );
}
