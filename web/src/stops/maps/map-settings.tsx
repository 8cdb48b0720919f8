// The settings of one map, with their units and what they do.
import { useAsset, useMaps } from "../../api/queries";
import type {
  CavityMethod,
  ColorFrom,
  CurvatureEncoding,
  Distance,
  Falloff,
  Green,
  IdSource,
  MadeFrom,
  MapSettings,
  PositionAxis,
} from "../../api/types";
import { Choice } from "../../ui/choice";
import { NumberField } from "../../ui/number-field";
import { LinkButton, Row, Segment } from "../../ui/parts";
import { Tick } from "../../ui/tick";
import { ClearParts, OccludersRow } from "./occluders";
import { PictureRow } from "./pictures";
import { RaysRows } from "./rays-rows";

/** What a distance of a map comes to where it is automatic, as a share of the asset; none where only the bake tells. */
function useAutomatic(map: string, setting: string): number | null {
  const kind = useMaps().data?.find((line) => line.kind.id === map)?.kind;
  return kind?.automatic.find((a) => a.setting === setting)?.share ?? null;
}

/** A distance in scene units, or a share of the asset. */
function DistanceField(props: {
  label: string;
  hint: string;
  map: string;
  /** The setting that it is. */
  of: string;
  value: Distance;
  onChange: (value: Distance) => void;
}) {
  const diagonal = useAsset().data?.diagonal || 1;
  const share = useAutomatic(props.map, props.of);
  const auto = props.value === "auto";
  const units = props.value === "auto" ? diagonal * (share ?? 0) : props.value;
  const step = 10 ** Math.floor(Math.log10(Math.max(diagonal, 1e-9) / 5000));
  const digits = Math.max(0, -Math.floor(Math.log10(step)) + 1);
  return (
    <Row
      label={props.label}
      hint={
        auto && share === null
          ? props.hint
          : `${props.hint} ${((100 * units) / diagonal).toFixed(2)} % of the asset${auto ? ", automatic" : ""}.`
      }
    >
      <NumberField
        label={props.label}
        value={units}
        min={step}
        max={diagonal * 4}
        step={step}
        digits={digits}
        onChange={props.onChange}
      />
      {!auto && (
        <LinkButton className="text-xs" onClick={() => props.onChange("auto")}>
          Automatic
        </LinkButton>
      )}
    </Row>
  );
}

function GreenRow({ value, onChange }: { value: Green; onChange: (y: Green) => void }) {
  return (
    <Row label="Green channel" hint="Match your renderer: with the wrong one, dents look like bumps.">
      <Segment<Green>
        label="Green channel"
        options={[
          ["+", "Y+ up"],
          ["-", "Y- down"],
        ]}
        value={value}
        onChange={onChange}
      />
    </Row>
  );
}

function FromRow({ value, onChange }: { value: MadeFrom; onChange: (from: MadeFrom) => void }) {
  const recipe = useAsset().data?.recipe;
  if (!recipe?.normal_map && value === "sculpt") return null;
  return (
    <Choice
      label="Made from"
      hint={value === "sculpt" ? undefined : "The low-poly bent by the normal map below."}
      value={value}
      options={[
        ["sculpt", "Sculpt"],
        ["normal-map", "Normal map"],
      ]}
      onChange={onChange}
    />
  );
}

const ID_SOURCES: readonly (readonly [IdSource, string])[] = [
  ["color", "Vertex colour"],
  ["part", "Sculpt part"],
  ["material", "Sculpt material"],
  ["material-part", "Material and part"],
  ["piece", "Loose piece"],
  ["low-part", "Low-poly part"],
  ["island", "UV island"],
];

export function MapRows(props: {
  settings: MapSettings;
  parts: string[];
  onChange: (settings: MapSettings) => void;
}) {
  const { settings, parts, onChange } = props;
  switch (settings.map) {
    case "normal":
      return (
        <>
          <GreenRow value={settings.y} onChange={(y) => onChange({ ...settings, y })} />
          <Tick checked={settings.carried} onChange={(carried) => onChange({ ...settings, carried })}>
            With the sculpt's own normal textures
          </Tick>
        </>
      );
    case "ao":
    case "bent-normal":
      return (
        <>
          {settings.map === "ao" ? (
            <FromRow value={settings.from} onChange={(from) => onChange({ ...settings, from })} />
          ) : (
            <GreenRow value={settings.y} onChange={(y) => onChange({ ...settings, y })} />
          )}
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
    case "curvature":
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
    case "cavity":
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
    case "displacement":
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
    case "id":
      return (
        <Choice<IdSource>
          label="Region per"
          value={settings.from}
          options={ID_SOURCES}
          onChange={(from) => onChange({ ...settings, from })}
        />
      );
    case "color":
      return (
        <>
          <Choice<ColorFrom>
            label="Colour from"
            value={settings.from}
            options={[
              ["auto", "Automatic"],
              ["vertices", "Vertex colours"],
              ["materials", "Materials"],
              ["picture", "A picture"],
            ]}
            onChange={(from) => onChange({ ...settings, from })}
          />
          <PictureRow
            label="Picture"
            hint="Laid over the sculpt's UVs and moved to the low-poly's."
            use="color"
            file={settings.picture?.file}
            onRemove={() => onChange({ ...settings, picture: null })}
          />
          <Tick
            checked={settings.times_opacity}
            onChange={(times_opacity) => onChange({ ...settings, times_opacity })}
          >
            Black where rays miss
          </Tick>
        </>
      );
    case "position":
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
          {settings.axis !== "all" && (
            <Ends settings={settings} axis={"xyz".indexOf(settings.axis)} onChange={onChange} />
          )}
        </>
      );
    case "thickness":
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
    default:
      return <p className="text-xs text-ink-3">Nothing to set.</p>;
  }
}

/** Where a gradient is black and where it is white, as coordinates. */
function Ends(props: {
  settings: Extract<MapSettings, { map: "position" }>;
  axis: number;
  onChange: (settings: MapSettings) => void;
}) {
  const { settings, axis, onChange } = props;
  const high = useAsset().data?.meshes.find((m) => m.role === "high")?.summary;
  const low = high?.low_corner[axis] ?? 0;
  const top = high?.high_corner[axis] ?? 1;
  const step = 10 ** Math.floor(Math.log10(Math.max(top - low, 1e-9) / 1000));
  const digits = Math.max(0, -Math.floor(Math.log10(step)) + 1);
  const field = (label: string, value: number, put: (v: number) => void) => (
    <Row label={label}>
      <NumberField
        label={label}
        value={value}
        min={low - 10 * (top - low)}
        max={top + 10 * (top - low)}
        step={step}
        digits={digits}
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
