// The head of the open finish: its name, what it is given to, its base, and what is done with it as a whole.
import { Copy, Plus, Trash2 } from "lucide-react";
import { useAsset, useRecipe } from "../../../api/queries";
import type { Finish } from "../../../api/types";
import { ColorField } from "../../../ui/color-field";
import { Fold } from "../../../ui/fold";
import { NameField } from "../../../ui/name-field";
import { NumberField } from "../../../ui/number-field";
import { IconButton, Row } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { Tick } from "../../../ui/tick";
import { freeName } from "../edit";
import { openCoat } from "../state";
import { withFinish } from "../target";
import { BARE, freshCoat } from "./edit";
import { useFinishView } from "./live";

const GIVEN = [
  ["all", "Everything"],
  ["parts", "Parts"],
] as const;

export function FinishHead({ finish }: { finish: Finish }) {
  const [recipe, edit] = useRecipe();
  const meshes = useAsset().data?.meshes ?? [];
  const view = useFinishView(finish.name);
  const all = recipe?.finishes ?? [];
  const change = (to: Partial<Finish>) => edit((r) => withFinish(r, finish.name, (f) => ({ ...f, ...to })));
  const rename = (wanted: string) => {
    const name = freeName(
      all.filter((f) => f !== finish),
      wanted,
    );
    change({ name });
    openCoat(name);
  };
  const copy = () => {
    const name = freeName(all, finish.name);
    edit((r) => ({ ...r, finishes: [...(r.finishes ?? []), { ...finish, name }] }));
    openCoat(name);
  };
  const remove = () => {
    openCoat(null);
    edit((r) => ({ ...r, finishes: (r.finishes ?? []).filter((f) => f.name !== finish.name) }));
  };
  const add = () => {
    const name = freeName(finish.coats ?? [], "coat");
    change({ coats: [...(finish.coats ?? []), freshCoat(name)] });
    openCoat(finish.name, name);
  };
  const { on } = finish;
  const parts = typeof on === "object" && "parts" in on ? on.parts : null;
  const names = [
    ...new Set(meshes.filter((m) => m.role === "low").flatMap((m) => m.summary.parts.map((p) => p.name))),
  ];
  const toggle = (name: string, given: boolean) =>
    change({ on: { parts: given ? [...(parts ?? []), name] : (parts ?? []).filter((p) => p !== name) } });
  const base = finish.base;
  const putBase = (to: Partial<Finish["base"]>) => change({ base: { ...base, ...to } });
  return (
    <>
      <div className="flex items-center gap-0.5">
        <NameField label="Name of the finish" name={finish.name} onChange={rename} />
        <IconButton aria-label={`Add a coat to ${finish.name}`} onClick={add}>
          <Plus className="size-3.5" />
        </IconButton>
        <IconButton aria-label={`Duplicate ${finish.name}`} onClick={copy}>
          <Copy className="size-3.5" />
        </IconButton>
        <IconButton aria-label={`Remove ${finish.name}`} onClick={remove}>
          <Trash2 className="size-3.5" />
        </IconButton>
      </div>
      {view?.error && (
        <p role="alert" className="text-madder">
          {view.error}.
        </p>
      )}
      <Row label="Given to">
        {parts === null && on !== "all" ? (
          <span className="text-ink-2">{view?.on}</span>
        ) : (
          <Select
            label="What the finish is given to"
            options={GIVEN}
            value={parts ? "parts" : "all"}
            onChange={(to) => change({ on: to === "all" ? "all" : { parts: [] } })}
          />
        )}
      </Row>
      {parts && (
        <fieldset aria-label="Parts that have the finish" className="max-h-40 overflow-y-auto pb-1 pl-1">
          {names.map((name) => (
            <Tick key={name} checked={parts.includes(name)} onChange={(given) => toggle(name, given)}>
              {name}
            </Tick>
          ))}
        </fieldset>
      )}
      <Fold title="Base">
        <Row label="Colour">
          {base.color === "sculpt" ? (
            <span className="text-ink-2">the sculpt's own</span>
          ) : (
            <ColorField label="Base colour" value={base.color} onChange={(color) => putBase({ color })} />
          )}
        </Row>
        <Tick
          checked={base.color === "sculpt"}
          onChange={(own) => putBase({ color: own ? "sculpt" : BARE.color })}
        >
          Take the colour that the sculpt carries
        </Tick>
        {(["roughness", "metallic"] as const).map((channel) => (
          <Row key={channel} label={channel === "roughness" ? "Roughness" : "Metallic"}>
            <NumberField
              label={`Base ${channel}`}
              value={base[channel]}
              min={0}
              max={1}
              step={0.005}
              digits={2}
              onChange={(value) => putBase({ [channel]: value })}
            />
          </Row>
        ))}
      </Fold>
    </>
  );
}
