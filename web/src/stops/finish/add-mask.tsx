// Where masks come from: presets, the library, a file, or nothing.
import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { api, masksUrl } from "../../api/client";
import { say, useAsset, useRecipe } from "../../api/queries";
import { client } from "../../api/query-client";
import type { KeptMasks, Mask } from "../../api/types";
import { Fold } from "../../ui/fold";
import { JsonButton } from "../../ui/json-button";
import { Button, IconButton, Section } from "../../ui/parts";
import { withMasks } from "./edit";
import { openMask } from "./state";

export function AddMask() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const low = (asset?.recipe.low.length ?? 0) > 0;
  const presets = useQuery({
    queryKey: ["presets", asset?.id, asset?.recipe.low, asset?.recipe.high],
    queryFn: () => api.presets(asset?.id ?? 0),
    enabled: low,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const library = useQuery({ queryKey: ["mask-library"], queryFn: api.maskLibrary });
  if (!asset || !recipe) return null;
  const take = (masks: readonly Mask[]) => {
    const [, names] = withMasks(recipe, masks);
    edit((r) => withMasks(r, masks)[0]);
    openMask(names[0] ?? null);
  };
  const takeFitted = (kept: KeptMasks) => api.fitMasks(asset.id, kept).then(take).catch(say);
  const read = async (text: string, name: string) => {
    try {
      await takeFitted(JSON.parse(text) as KeptMasks);
    } catch {
      say(new Error(`${name}: it is not valid JSON. Choose a file that masks were exported to.`));
    }
  };
  const remove = async (name: string) => client.setQueryData(["mask-library"], await api.dropMask(name));
  const kept = library.data ?? [];
  const masks = recipe.masks ?? [];
  return (
    <Section>
      <div className="flex flex-wrap gap-1.5">
        <Button onClick={() => take([{ name: "mask", place: { terms: [] } }])}>New mask</Button>
        <JsonButton label="Import" what="File of masks" onRead={read} />
        {masks.length > 0 && (
          <a
            href={masksUrl(asset.id)}
            download
            className="inline-flex h-7 items-center rounded border border-line bg-sheet px-2.5 font-[560] hover:bg-sunk"
          >
            Export
          </a>
        )}
      </div>
      <Fold key={masks.length === 0 ? "first" : "more"} title="Presets" startsOpen={masks.length === 0}>
        <ul className="flex flex-col gap-0.5">
          {presets.data?.map((preset) => (
            <li key={preset.id}>
              <button
                type="button"
                title={preset.sentence}
                onClick={() => take([preset.mask])}
                className="w-full rounded px-1 py-0.5 text-left hover:bg-sunk"
              >
                <b>{preset.mask.name}</b> <span className="text-xs text-ink-3">{preset.explains}</span>
              </button>
            </li>
          ))}
          {presets.isError && <li className="text-madder">{presets.error.message}</li>}
        </ul>
      </Fold>
      {kept.length > 0 && (
        <Fold title={`Library (${kept.length})`}>
          <ul className="flex flex-col gap-0.5">
            {kept.map((entry) =>
              entry.masks.map((mask) => (
                <li key={mask.name} className="flex items-center">
                  <button
                    type="button"
                    onClick={() => takeFitted(entry)}
                    className="min-w-0 grow truncate rounded px-1 py-0.5 text-left hover:bg-sunk"
                  >
                    <b>{mask.name}</b>
                  </button>
                  <IconButton
                    aria-label={`Remove ${mask.name} from the library`}
                    onClick={() => remove(mask.name).catch(say)}
                  >
                    <X className="size-3" />
                  </IconButton>
                </li>
              )),
            )}
          </ul>
        </Fold>
      )}
    </Section>
  );
}
