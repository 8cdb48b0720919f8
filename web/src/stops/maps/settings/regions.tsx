// Maps of what the sculpt carries: ids and colour.
import type { ColorFrom, IdSource } from "../../../api/types";
import { Choice } from "../../../ui/choice";
import { Tick } from "../../../ui/tick";
import { PictureRow } from "../pictures";
import type { RowsOf } from "./shared";

const ID_SOURCES: readonly (readonly [IdSource, string])[] = [
  ["color", "Vertex colour"],
  ["part", "Sculpt part"],
  ["material", "Sculpt material"],
  ["material-part", "Material and part"],
  ["piece", "Loose piece"],
  ["low-part", "Low-poly part"],
  ["island", "UV island"],
];

export function IdRows({ settings, onChange }: RowsOf<"id">) {
  return (
    <Choice<IdSource>
      label="Region per"
      value={settings.from}
      options={ID_SOURCES}
      onChange={(from) => onChange({ ...settings, from })}
    />
  );
}

export function ColorRows({ settings, onChange }: RowsOf<"color">) {
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
        hint="Read through the sculpt's UVs and transferred to the low-poly's."
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
}
