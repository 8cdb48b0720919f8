// The head of the open finish: its name, what it is given to, its base, and what is done with it as a whole.
import { BookmarkPlus, Copy, Plus, Trash2 } from "lucide-react";
import { api } from "../../../api/client";
import { say, useAsset, useRecipe } from "../../../api/queries";
import { client } from "../../../api/query-client";
import type { Finish } from "../../../api/types";
import { ColorField } from "../../../ui/color-field";
import { Fold } from "../../../ui/fold";
import { NameField } from "../../../ui/name-field";
import { NumberField } from "../../../ui/number-field";
import { IconButton, Row } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { Tick } from "../../../ui/tick";
import { freeName, useDiagonal } from "../edit";
import { openCoat } from "../state";
import { withFinish } from "../target";
import { BARE, freshCoat } from "./edit";
import { useFinishView } from "./live";

const GIVEN = [
  ["all", "Everything"],
  ["parts", "Parts"],
  ["materials", "Materials"],
  ["ids", "ID colours"],
] as const;

type Given = (typeof GIVEN)[number][0];

/** What a finish is given to by, and by which names. */
function given(on: Finish["on"]): [Given, readonly string[]] {
  if (on === "all") return ["all", []];
  if ("parts" in on) return ["parts", on.parts];
  if ("materials" in on) return ["materials", on.materials];
  return ["ids", on.ids];
}

const toGiven = (by: Given, names: string[]): Finish["on"] =>
  by === "all"
    ? "all"
    : by === "parts"
      ? { parts: names }
      : by === "materials"
        ? { materials: names }
        : { ids: names };

export function FinishHead({ finish }: { finish: Finish }) {
  const [recipe, edit] = useRecipe();
  const meshes = useAsset().data?.meshes ?? [];
  const view = useFinishView(finish.name);
  const diagonal = useDiagonal();
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
  const [by, held] = given(finish.on);
  const names = [
    ...new Set(meshes.filter((m) => m.role === "low").flatMap((m) => m.summary.parts.map((p) => p.name))),
  ];
  const toggle = (name: string, has: boolean) =>
    change({ on: { parts: has ? [...held, name] : held.filter((p) => p !== name) } });
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
        <IconButton
          aria-label={`Keep ${finish.name} in the library`}
          onClick={() =>
            api
              .keepFinishes({ finishes: [finish], diagonal, tags: [], files: [] })
              .then((kept) => client.setQueryData(["finish-library"], kept))
              .catch(say)
          }
        >
          <BookmarkPlus className="size-3.5" />
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
        <Select
          label="What the finish is given to"
          options={GIVEN}
          value={by}
          onChange={(to) => change({ on: toGiven(to, []) })}
        />
      </Row>
      {by === "parts" && (
        <fieldset aria-label="Parts that have the finish" className="max-h-40 overflow-y-auto pb-1 pl-1">
          {names.map((name) => (
            <Tick key={name} checked={held.includes(name)} onChange={(has) => toggle(name, has)}>
              {name}
            </Tick>
          ))}
        </fieldset>
      )}
      {(by === "materials" || by === "ids") && (
        <Row
          label="Names"
          hint={
            by === "materials"
              ? "Of the sculpt's materials, separated by commas."
              : "ID colours by name or as #rrggbb, separated by commas."
          }
        >
          <input
            type="text"
            aria-label={by === "materials" ? "Names of materials" : "ID colours"}
            defaultValue={held.join(", ")}
            key={by}
            onKeyDown={(e) => {
              e.stopPropagation();
              if (e.key === "Enter") e.currentTarget.blur();
            }}
            onBlur={(e) =>
              change({
                on: toGiven(
                  by,
                  e.target.value
                    .split(",")
                    .map((name) => name.trim())
                    .filter((name) => name !== ""),
                ),
              })
            }
            className="h-7 w-full rounded bg-sunk px-2"
          />
        </Row>
      )}
      {finish.materialx && (
        <Row label="Material" hint={`Of ${finish.materialx.file}; coats lie on it.`}>
          <Select
            label="Material of the document"
            options={[
              ...new Set([...(view?.materials ?? []), finish.materialx.material ?? ""].filter(Boolean)),
            ].map((name) => [name, name] as const)}
            value={finish.materialx.material ?? view?.materials[0] ?? ""}
            onChange={(material) =>
              change({ materialx: finish.materialx ? { ...finish.materialx, material } : null })
            }
          />
        </Row>
      )}
      {!finish.materialx && <BaseFold base={finish.base} put={putBase} />}
    </>
  );
}

function BaseFold({ base, put }: { base: Finish["base"]; put: (to: Partial<Finish["base"]>) => void }) {
  return (
    <Fold title="Base">
      <Row label="Colour">
        {base.color === "sculpt" ? (
          <span className="text-ink-2">the sculpt's own</span>
        ) : (
          <ColorField label="Base colour" value={base.color} onChange={(color) => put({ color })} />
        )}
      </Row>
      <Tick checked={base.color === "sculpt"} onChange={(own) => put({ color: own ? "sculpt" : BARE.color })}>
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
            onChange={(value) => put({ [channel]: value })}
          />
        </Row>
      ))}
    </Fold>
  );
}
