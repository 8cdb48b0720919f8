// The head of the open mask: its name, how it reads, what it covers, and what is done with it as a whole.
import { BookmarkPlus, Copy, Trash2 } from "lucide-react";
import { toast } from "sonner";
import { api } from "../../api/client";
import { say, useRecipe } from "../../api/queries";
import { client } from "../../api/query-client";
import type { Mask, Recipe } from "../../api/types";
import { NameField } from "../../ui/name-field";
import { IconButton, Section } from "../../ui/parts";
import { freeName, LAST_MAP, useDiagonal, withMasks, withoutMask } from "./edit";
import { share } from "./legend";
import { useShownMask } from "./live";
import { openMask } from "./state";

/** The recipe with a mask called otherwise, wherever it is named. */
function renamed(recipe: Recipe, from: string, to: string): Recipe {
  const called = (name: string) => (name === from ? to : name);
  const inTerm = (mask: Mask): Mask => ({
    name: called(mask.name),
    place: {
      ...mask.place,
      terms: mask.place.terms.map((t) =>
        t.signal.kind === "mask" ? { ...t, signal: { ...t.signal, mask: called(t.signal.mask) } } : t,
      ),
    },
  });
  const packed = (name: string | null | undefined) => (name == null ? name : called(name));
  const maps = recipe.maps.map((m) => {
    if (m.map === "mask") return { ...m, mask: called(m.mask) };
    if (m.map !== "packed") return m;
    return { ...m, red: packed(m.red), green: packed(m.green), blue: packed(m.blue), alpha: packed(m.alpha) };
  });
  return { ...recipe, masks: (recipe.masks ?? []).map(inTerm), maps };
}

export function MaskHead({ mask }: { mask: Mask }) {
  const [recipe, edit] = useRecipe();
  const live = useShownMask();
  const diagonal = useDiagonal();
  const masks = recipe?.masks ?? [];
  const remove = () => {
    if (recipe && withoutMask(recipe.maps, mask.name).length === 0) return void toast(LAST_MAP);
    openMask(null);
    edit((r) => ({
      ...r,
      masks: (r.masks ?? []).filter((m) => m.name !== mask.name),
      maps: withoutMask(r.maps, mask.name),
    }));
  };
  const copy = () => {
    const name = freeName(masks, mask.name);
    edit((r) => withMasks(r, [{ ...mask, name }])[0]);
    openMask(name);
  };
  const keep = async () => {
    await api.keepMasks({ masks: [mask], diagonal });
    await client.invalidateQueries({ queryKey: ["mask-library"] });
    toast(`${mask.name} is in the library now.`);
  };
  return (
    <Section>
      <div className="flex items-center gap-0.5">
        <NameField
          label="Name of the mask"
          key={mask.name}
          name={mask.name}
          onChange={(wanted) => {
            const name = freeName(masks, wanted);
            edit((r) => renamed(r, mask.name, name));
            openMask(name);
          }}
        />
        <IconButton aria-label={`Duplicate ${mask.name}`} onClick={copy}>
          <Copy className="size-3.5" />
        </IconButton>
        <IconButton aria-label={`Keep ${mask.name} in the library`} onClick={() => keep().catch(say)}>
          <BookmarkPlus className="size-3.5" />
        </IconButton>
        <IconButton aria-label={`Remove ${mask.name}`} onClick={remove}>
          <Trash2 className="size-3.5" />
        </IconButton>
      </div>
      <p className="mt-0.5" role="status" aria-label="The mask as a sentence">
        {live?.view ? `${live.view.sentence}.` : "Measuring…"}
      </p>
      {live?.view?.covers != null && (
        <p className="num text-ink-2">
          <b>{share(live.view.covers)}</b> of the surface
        </p>
      )}
      {(live?.failed ?? live?.view?.error) && (
        <p role="alert" className="mt-1 text-madder">
          {live?.failed ?? live?.view?.error}.
        </p>
      )}
    </Section>
  );
}
