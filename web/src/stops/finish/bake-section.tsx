// The mask as a map: baked by itself, or in a channel of a packed picture.

import { toast } from "sonner";
import { useRecipe } from "../../api/queries";
import type { Mask, Recipe } from "../../api/types";
import { Button, Row, Section } from "../../ui/parts";
import { Select } from "../../ui/select";
import { Tick } from "../../ui/tick";
import { LAST_MAP } from "./edit";

type Packed = Extract<Recipe["maps"][number], { map: "packed" }>;

const CHANNELS = [
  ["red", "Red"],
  ["green", "Green"],
  ["blue", "Blue"],
  ["alpha", "Alpha"],
] as const;
/** A select cannot hold an empty word. */
const NONE = "\u0000none";

export function BakeSection({ mask }: { mask: Mask }) {
  const [recipe, edit] = useRecipe();
  if (!recipe) return null;
  const baked = recipe.maps.some((m) => m.map === "mask" && m.mask === mask.name);
  const packed = recipe.maps.filter((m) => m.map === "packed");
  const toggle = (on: boolean) => {
    const others = recipe.maps.filter((m) => m.map !== "mask" || m.mask !== mask.name);
    if (!on && others.length === 0) return void toast(LAST_MAP);
    edit((r) => ({ ...r, maps: on ? [...others, { map: "mask", mask: mask.name }] : others }));
  };
  const put = (name: string, change: Partial<Packed>) =>
    edit((r) => ({
      ...r,
      maps: r.maps.map((m) => (m.map === "packed" && m.name === name ? { ...m, ...change } : m)),
    }));
  const addPacked = () =>
    edit((r) => {
      let name = "masks";
      for (let n = 2; r.maps.some((m) => m.map === "packed" && m.name === name); n++) name = `masks ${n}`;
      const [red, green, blue, alpha] = (r.masks ?? []).map((m) => m.name);
      return { ...r, maps: [...r.maps, { map: "packed", name, red, green, blue, alpha }] };
    });
  const options = [[NONE, "None"], ...(recipe.masks ?? []).map((m) => [m.name, m.name])] as [
    string,
    string,
  ][];
  return (
    <Section title="Bake">
      <Tick checked={baked} onChange={toggle}>{`Bake ${mask.name} as a map`}</Tick>
      {packed.map((picture) => (
        <div key={picture.name} className="mt-1.5 border-t border-line pt-1">
          <div className="flex items-center justify-between">
            <b>Packed picture: {picture.name}</b>
            <Button
              look="quiet"
              aria-label={`Remove ${picture.name}`}
              onClick={() =>
                edit((r) => ({
                  ...r,
                  maps: r.maps.filter((m) => m.map !== "packed" || m.name !== picture.name),
                }))
              }
            >
              Remove
            </Button>
          </div>
          {CHANNELS.map(([channel, label]) => (
            <Row key={channel} label={label}>
              <Select
                label={`${picture.name}: ${label.toLowerCase()}`}
                options={options}
                value={picture[channel] ?? NONE}
                onChange={(v) => put(picture.name, { [channel]: v === NONE ? null : v })}
              />
            </Row>
          ))}
        </div>
      ))}
      <Button className="mt-1.5" onClick={addPacked}>
        Pack masks into one picture
      </Button>
    </Section>
  );
}
