// Maps of the sculpt's form: normal, curvature, cavity, displacement and position.
import { useAsset } from "../../../api/queries";
import type { CavityMethod, CurvatureEncoding, PositionAxis } from "../../../api/types";
import { Choice } from "../../../ui/choice";
import { NumberField } from "../../../ui/number-field";
import { Row } from "../../../ui/parts";
import { stepFor } from "../../../ui/step";
import { Tick } from "../../../ui/tick";
import { RaysRows } from "../rays-rows";
import { DistanceField, FromRow, GreenRow, type RowsOf } from "./shared";

export function NormalRows({ settings, onChange }: RowsOf<"normal">) {
  return (
    <>
      <GreenRow value={settings.y} onChange={(y) => onChange({ ...settings, y })} />
      <Tick checked={settings.carried} onChange={(carried) => onChange({ ...settings, carried })}>
        With the sculpt's own normal textures
      </Tick>
    </>
  );
}

export function CurvatureRows({ settings, onChange }: RowsOf<"curvature">) {
  return (
    <>
      <FromRow value={settings.from} onChange={(from) => onChange({ ...settings, from })} />
      <DistanceField
        label="Detail size"
        hint="Curvature is averaged over this radius."
        map={settings.map}
        of="detail"
        value={settings.detail}
        onChange={(detail) => onChange({ ...settings, detail })}
      />
      <DistanceField
        label="White at radius"
        hint="A sphere of this radius or smaller is white."
        map={settings.map}
        of="radius"
        value={settings.radius}
        onChange={(radius) => onChange({ ...settings, radius })}
      />
      <Choice<CurvatureEncoding>
        label="Encoding"
        value={settings.encoding}
        options={[
          ["grey", "Grey, flat is mid-grey"],
          ["red-green", "Convex red, concave green"],
        ]}
        onChange={(encoding) => onChange({ ...settings, encoding })}
      />
    </>
  );
}

export function CavityRows({ settings, onChange }: RowsOf<"cavity">) {
  return (
    <>
      <FromRow value={settings.from} onChange={(from) => onChange({ ...settings, from })} />
      <Choice<CavityMethod>
        label="Method"
        value={settings.method}
        options={[
          ["occlusion", "Occlusion"],
          ["curvature", "Curvature"],
        ]}
        onChange={(method) => onChange({ ...settings, method })}
      />
      <DistanceField
        label="Detail size"
        hint="Size of the creases to find."
        map={settings.map}
        of="detail"
        value={settings.detail}
        onChange={(detail) => onChange({ ...settings, detail })}
      />
      <Row label="Strength" hint="How strongly it darkens; 1 is as measured.">
        <NumberField
          label="Strength"
          value={settings.strength}
          min={0}
          max={16}
          step={0.05}
          digits={2}
          onChange={(strength) => onChange({ ...settings, strength })}
        />
      </Row>
      {settings.method === "occlusion" && (
        <RaysRows value={settings.rays} onChange={(rays) => onChange({ ...settings, rays })} />
      )}
    </>
  );
}

export function DisplacementRows({ settings, onChange }: RowsOf<"displacement">) {
  return (
    <DistanceField
      label="Scale"
      hint={
        settings.scale === "auto"
          ? "From black to white. Automatic: set by the furthest height when it is baked, and written to the report and the file."
          : "From black to white; heights beyond are clipped."
      }
      map={settings.map}
      of="scale"
      value={settings.scale}
      onChange={(scale) => onChange({ ...settings, scale })}
    />
  );
}

export function PositionRows(props: RowsOf<"position">) {
  const { settings, onChange } = props;
  return (
    <>
      <Choice<PositionAxis>
        label="Axes"
        hint={settings.axis === "all" ? "Red, green and blue are x, y and z in the box." : undefined}
        value={settings.axis}
        options={[
          ["all", "All axes"],
          ["x", "Gradient along X"],
          ["y", "Gradient along Y"],
          ["z", "Gradient along Z"],
        ]}
        onChange={(axis) => onChange({ ...settings, axis })}
      />
      {settings.axis !== "all" && <Ends {...props} axis={"xyz".indexOf(settings.axis)} />}
    </>
  );
}

/** Where a gradient is black and where it is white, as coordinates. */
function Ends({ settings, axis, onChange }: RowsOf<"position"> & { axis: number }) {
  const high = useAsset().data?.meshes.find((m) => m.role === "high")?.summary;
  const low = high?.low_corner[axis] ?? 0;
  const top = high?.high_corner[axis] ?? 1;
  const field = (label: string, value: number, put: (v: number) => void) => (
    <Row label={label}>
      <NumberField
        label={label}
        value={value}
        min={low - 10 * (top - low)}
        max={top + 10 * (top - low)}
        {...stepFor((top - low) / 1000)}
        onChange={put}
      />
    </Row>
  );
  return (
    <>
      {field("Black at", settings.from ?? low, (from) => onChange({ ...settings, from }))}
      {field("White at", settings.to ?? top, (to) => onChange({ ...settings, to }))}
    </>
  );
}
