// The head of the open coat: its name, how it reads, what it covers, how much of it there is, and what is done with it as a whole.
import { Copy, Focus, Trash2 } from "lucide-react";
import { useRecipe } from "../../../api/queries";
import type { Coat, Finish } from "../../../api/types";
import { NameField } from "../../../ui/name-field";
import { NumberField } from "../../../ui/number-field";
import { Button, IconButton, Row, Section } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { freeName } from "../edit";
import { share } from "../legend";
import { openCoat } from "../state";
import { withFinish } from "../target";
import { renameCoat, useCoatEdits } from "./edit";
import { useFinishView, useLiveMaterial } from "./live";

export function CoatHead({ finish, coat }: { finish: Finish; coat: Coat }) {
  const [recipe, edit] = useRecipe();
  const edits = useCoatEdits(finish.name, coat.name);
  const view = useFinishView(finish.name)?.coats.find((c) => c.name === coat.name);
  const { failed, took, busy } = useLiveMaterial();
  const copy = () => {
    const name = freeName(finish.coats ?? [], coat.name);
    edits.coats((all) => all.flatMap((c) => (c.name === coat.name ? [c, { ...c, name }] : [c])));
    openCoat(finish.name, name);
  };
  const others = (recipe?.finishes ?? [])
    .filter((f) => f.name !== finish.name)
    .map((f) => [f.name, f.name] as const);
  const copyTo = (to: string) => {
    const target = recipe?.finishes?.find((f) => f.name === to);
    const name = freeName(target?.coats ?? [], coat.name);
    edit((r) => withFinish(r, to, (f) => ({ ...f, coats: [...(f.coats ?? []), { ...coat, name }] })));
    openCoat(to, name);
  };
  const remove = () => {
    openCoat(finish.name);
    edits.coats((all) => all.filter((c) => c.name !== coat.name));
  };
  return (
    <Section>
      <div className="flex items-center gap-0.5">
        <NameField
          label="Name of the coat"
          name={coat.name}
          onChange={(to) => renameCoat(edit, finish, coat, to)}
        />
        <IconButton
          aria-label={`Show ${coat.name} alone`}
          aria-pressed={coat.solo ?? false}
          className="aria-pressed:bg-ink aria-pressed:text-sheet"
          onClick={() => edits.change({ solo: !coat.solo })}
        >
          <Focus className="size-3.5" />
        </IconButton>
        <IconButton aria-label={`Duplicate ${coat.name}`} onClick={copy}>
          <Copy className="size-3.5" />
        </IconButton>
        <IconButton aria-label={`Remove ${coat.name}`} onClick={remove}>
          <Trash2 className="size-3.5" />
        </IconButton>
      </div>
      <p
        className="mt-0.5"
        role="status"
        aria-label="The coat as a sentence"
        data-took={Math.round(took)}
        data-busy={busy}
      >
        {view ? `${view.sentence}.` : "Measuring…"}
      </p>
      {view?.covers != null && (
        <p className="num text-ink-2">
          <b>{share(view.covers)}</b> of the finish
        </p>
      )}
      {(failed ?? view?.error) && (
        <p role="alert" className="mt-1 text-madder first-letter:uppercase">
          {failed ?? view?.error}.
        </p>
      )}
      <Row label="Amount">
        <NumberField
          label="Amount of the coat"
          unit="%"
          value={(coat.amount ?? 1) * 100}
          min={0}
          max={100}
          step={0.5}
          digits={0}
          onChange={(v) => edits.change({ amount: v / 100 })}
        />
      </Row>
      <GroupRow finish={finish} coat={coat} />
      {others.length > 0 && (
        <Row label="Copy to">
          <Select
            label="Copy the coat to another finish"
            placeholder="Choose a finish"
            options={others}
            value=""
            onChange={copyTo}
          />
        </Row>
      )}
    </Section>
  );
}

/** The group that a coat belongs to, and what is done with all of it. */
function GroupRow({ finish, coat }: { finish: Finish; coat: Coat }) {
  const edits = useCoatEdits(finish.name, coat.name);
  const group = coat.group ?? null;
  const of = (finish.coats ?? []).filter((c) => group !== null && c.group === group);
  const muted = of.every((c) => c.muted);
  return (
    <Row label="Group">
      <input
        type="text"
        aria-label="Group of the coat"
        placeholder="None"
        key={`${coat.name} ${group}`}
        defaultValue={group ?? ""}
        onKeyDown={(e) => {
          e.stopPropagation();
          if (e.key === "Enter") e.currentTarget.blur();
        }}
        onBlur={(e) => edits.change({ group: e.target.value.trim() || null })}
        className="h-7 w-full min-w-0 rounded bg-sunk px-2"
      />
      {of.length > 1 && (
        <Button
          onClick={() =>
            edits.coats((all) => all.map((c) => (c.group === group ? { ...c, muted: !muted } : c)))
          }
        >
          {muted ? "Unmute group" : "Mute group"}
        </Button>
      )}
    </Row>
  );
}
