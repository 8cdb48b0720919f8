// The head of the open coat: its name, how it reads, what it covers, how much of it there is, and what is done with it as a whole.
import { Copy, Focus, Trash2 } from "lucide-react";
import { useRecipe } from "../../../api/queries";
import type { Coat, Finish } from "../../../api/types";
import { NameField } from "../../../ui/name-field";
import { NumberField } from "../../../ui/number-field";
import { IconButton, Row, Section } from "../../../ui/parts";
import { freeName } from "../edit";
import { share } from "../legend";
import { openCoat } from "../state";
import { renameCoat, useCoatEdits } from "./edit";
import { useFinishView, useLiveMaterial } from "./live";

export function CoatHead({ finish, coat }: { finish: Finish; coat: Coat }) {
  const [, edit] = useRecipe();
  const edits = useCoatEdits(finish.name, coat.name);
  const view = useFinishView(finish.name)?.coats.find((c) => c.name === coat.name);
  const failed = useLiveMaterial((s) => s.failed);
  const copy = () => {
    const name = freeName(finish.coats ?? [], coat.name);
    edits.coats((all) => all.flatMap((c) => (c.name === coat.name ? [c, { ...c, name }] : [c])));
    openCoat(finish.name, name);
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
      <p className="mt-0.5" role="status" aria-label="The coat as a sentence">
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
    </Section>
  );
}
