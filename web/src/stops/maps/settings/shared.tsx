// What the settings of several maps have in common.
import { useAsset, useMaps } from "../../../api/queries";
import type { Distance, Green, MadeFrom, MapSettings } from "../../../api/types";
import { Choice } from "../../../ui/choice";
import { NumberField } from "../../../ui/number-field";
import { LinkButton, Row, Segment } from "../../../ui/parts";
import { stepFor } from "../../../ui/step";

/** What the rows of one kind of map are given; `parts` are the sculpt's. */
export interface RowsOf<Kind extends MapSettings["map"]> {
  settings: Extract<MapSettings, { map: Kind }>;
  parts: string[];
  onChange: (settings: MapSettings) => void;
}

/** What a distance of a map comes to where it is automatic, as a share of the asset; none where only the bake tells. */
function useAutomatic(map: string, setting: string): number | null {
  const kind = useMaps().data?.find((line) => line.kind.id === map)?.kind;
  return kind?.automatic.find((a) => a.setting === setting)?.share ?? null;
}

/** A distance in scene units, or a share of the asset. */
export function DistanceField(props: {
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
        min={stepFor(diagonal / 5000).step}
        max={diagonal * 4}
        {...stepFor(diagonal / 5000)}
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

export function GreenRow({ value, onChange }: { value: Green; onChange: (y: Green) => void }) {
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

export function FromRow({ value, onChange }: { value: MadeFrom; onChange: (from: MadeFrom) => void }) {
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
