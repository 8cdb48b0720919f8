// The settings of one map, with their units and what they do.
import { useAsset } from "../api/queries";
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
} from "../api/types";
import { useEnvelope } from "../reach/live";
import { Choice } from "../ui/choice";
import { NumberField } from "../ui/number-field";
import { Row, Segment } from "../ui/parts";
import { ClearParts, OccludersRow } from "./occluders";
import { PictureRow } from "./pictures";
import { RaysRows } from "./rays-rows";

function useDiagonal(): number {
  const measured = useEnvelope()?.header.diagonal;
  const high = useAsset().data?.meshes.find((m) => m.role === "high")?.summary;
  if (measured) return measured;
  if (!high) return 1;
  return Math.hypot(...high.high_corner.map((c, i) => c - (high.low_corner[i] ?? 0))) || 1;
}

/** A distance in scene units, or a share of the asset. */
function DistanceField(props: {
  label: string;
  hint: string;
  value: Distance;
  /** What `auto` comes to, as a share of the asset. */
  share: number;
  onChange: (value: Distance) => void;
}) {
  const diagonal = useDiagonal();
  const auto = props.value === "auto";
  const units = auto ? diagonal * props.share : (props.value as number);
  const step = 10 ** Math.floor(Math.log10(Math.max(diagonal, 1e-9) / 5000));
  const digits = Math.max(0, -Math.floor(Math.log10(step)) + 1);
  return (
    <Row
      label={props.label}
      hint={`${props.hint} ${((100 * units) / diagonal).toFixed(2)} % of the asset${auto ? ", automatic" : ""}.`}
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
        <button
          type="button"
          className="text-xs text-ink-3 underline underline-offset-2 hover:text-ink"
          onClick={() => props.onChange("auto")}
        >
          auto
        </button>
      )}
    </Row>
  );
}

function GreenRow({ value, onChange }: { value: Green; onChange: (y: Green) => void }) {
  return (
    <Row label="Green points" hint="As your renderer wants it. Wrong, and dents look like bumps.">
      <Segment<Green>
        label="Green points"
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

const DETAIL = 0.006;
const ID_SOURCES: readonly (readonly [IdSource, string])[] = [
  ["color", "Vertex colour"],
  ["part", "Sculpt part"],
  ["material", "Sculpt material"],
  ["material-part", "Material and part"],
  ["piece", "Loose piece"],
  ["low-part", "Low-poly part"],
  ["island", "UV island"],
];

function Tick(props: { label: string; checked: boolean; onChange: (checked: boolean) => void }) {
  return (
    <label className="flex items-center gap-1.5 py-1 text-ink-2">
      <input
        type="checkbox"
        className="accent-(--ember)"
        checked={props.checked}
        onChange={(e) => props.onChange(e.target.checked)}
      />
      {props.label}
    </label>
  );
}

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
          <Tick
            label="With the sculpt's own normal textures"
            checked={settings.carried}
            onChange={(carried) => onChange({ ...settings, carried })}
          />
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
            hint="How far off a surface still darkens."
            value={settings.distance}
            share={0.2}
            onChange={(distance) => onChange({ ...settings, distance })}
          />
          {settings.map === "ao" && (
            <Choice<Falloff>
              label="Falloff"
              hint={settings.falloff === "none" ? undefined : "The further off, the less it darkens."}
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
            value={settings.detail}
            share={DETAIL}
            onChange={(detail) => onChange({ ...settings, detail })}
          />
          <DistanceField
            label="Full at radius"
            hint="A ball of this radius reads white; smaller ones too."
            value={settings.radius}
            share={2 * DETAIL}
            onChange={(radius) => onChange({ ...settings, radius })}
          />
          <Choice<CurvatureEncoding>
            label="Written as"
            value={settings.encoding}
            options={[
              ["grey", "Grey, flat is mid"],
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
            label="Found by"
            value={settings.method}
            options={[
              ["occlusion", "Occlusion"],
              ["curvature", "Curvature"],
            ]}
            onChange={(method) => onChange({ ...settings, method })}
          />
          <DistanceField
            label="Detail size"
            hint="Size of the creases that are wanted."
            value={settings.detail}
            share={DETAIL}
            onChange={(detail) => onChange({ ...settings, detail })}
          />
          <Row label="Strength" hint="How fast it darkens; 1 as measured.">
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
              ? "From black to white, set by the furthest height once it is baked; written in the report and the file. Up to"
              : "From black to white; what lies beyond is cut off."
          }
          value={settings.scale}
          share={0.16}
          onChange={(scale) => onChange({ ...settings, scale })}
        />
      );
    case "id":
      return (
        <Choice<IdSource>
          label="A region is a"
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
            label="Black where rays miss"
            checked={settings.times_opacity}
            onChange={(times_opacity) => onChange({ ...settings, times_opacity })}
          />
        </>
      );
    case "position":
      return (
        <>
          <Choice<PositionAxis>
            label="Shows"
            hint={settings.axis === "all" ? "Red, green and blue are x, y and z in the box." : undefined}
            value={settings.axis}
            options={[
              ["all", "All axes"],
              ["x", "A gradient along X"],
              ["y", "A gradient along Y"],
              ["z", "A gradient along Z"],
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
            hint="A body this thick reads white."
            value={settings.distance}
            share={0.1}
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
