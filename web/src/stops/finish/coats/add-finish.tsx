// Where finishes come from: ready-made ones that are searched, a file, or nothing.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api } from "../../../api/client";
import { say, settled, useActions, useAsset, useRecipe } from "../../../api/queries";
import { client } from "../../../api/query-client";
import type { Finish, KeptFinishes } from "../../../api/types";
import { Fold } from "../../../ui/fold";
import { FilesButton } from "../../../ui/json-button";
import { Button, Row, Section } from "../../../ui/parts";
import { saveJson } from "../../../ui/save-file";
import { Select } from "../../../ui/select";
import { useDiagonal } from "../edit";
import { openCoat } from "../state";
import { BARE, freshCoat, withFinishes } from "./edit";
import { FinishList } from "./finish-list";

/** Pictures that a document may name. */
const PICTURES = /\.(png|jpe?g|tiff?|tga|exr)$/i;

export function AddFinish() {
  const { put } = useActions();
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const diagonal = useDiagonal();
  const [wanted, setWanted] = useState("");
  const [to, setTo] = useState("all");
  const library = useQuery({ queryKey: ["finish-library"], queryFn: api.finishLibrary });
  const low = (asset?.recipe.low.length ?? 0) > 0;
  const ready = useQuery({
    queryKey: ["ready-finishes", asset?.id, asset?.recipe.low, asset?.recipe.high],
    queryFn: () => api.readyFinishes(asset?.id ?? 0),
    enabled: low,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  if (!asset || !recipe) return null;
  const finishes = recipe.finishes ?? [];
  const take = (own: readonly Finish[]) => {
    const [, name] = withFinishes(recipe, own);
    edit((r) => withFinishes(r, own)[0]);
    openCoat(name);
  };
  const read = async (text: string, name: string) => {
    try {
      const kept = JSON.parse(text) as KeptFinishes | Finish;
      const whole = "finishes" in kept ? kept : { finishes: [kept], diagonal: null, tags: [], files: [] };
      take(await api.fitFinishes(asset.id, whole));
    } catch (error) {
      say(
        error instanceof SyntaxError
          ? new Error(`${name}: it is not valid JSON. Choose a file that finishes were exported to.`)
          : error,
      );
    }
  };
  const chosen = async (files: File[]) => {
    const named = (ends: RegExp) => files.filter((file) => ends.test(file.name));
    try {
      for (const file of named(/\.json$/i)) await read(await file.text(), file.name);
      for (const file of named(/\.mtlx$/i)) {
        // What is edited has to be with the program before it takes the document.
        await settled();
        const view = await api.sendDocument(asset.id, file, named(PICTURES));
        put(view);
        openCoat(view.recipe.finishes?.at(-1)?.name ?? null);
        for (const told of view.told) toast.warning(told, { duration: 9000 });
      }
    } catch (error) {
      say(error);
    }
  };
  const exported = async () => {
    const kept = await api.exportFinishes({ finishes, diagonal, tags: [], files: [] });
    saveJson(kept, `${asset.name.replaceAll(/[^\p{L}\p{N}]+/gu, "-")}-finishes.json`);
  };
  const given = (finish: Finish): Finish => (to === "all" ? finish : { ...finish, on: { parts: [to] } });
  const fitted = async (entry: KeptFinishes) => {
    const own = await api.fitFinishes(asset.id, entry);
    take(own.map(given));
  };
  const remove = async (name: string) => client.setQueryData(["finish-library"], await api.dropFinish(name));
  const kept = library.data ?? [];
  const parts = [
    ...new Set(
      asset.meshes.filter((m) => m.role === "low").flatMap((m) => m.summary.parts.map((p) => p.name)),
    ),
  ];
  const word = wanted.trim().toLowerCase();
  const found = ready.data?.filter((line) =>
    [line.finish.name, line.explains, ...line.tags].some((text) => text.toLowerCase().includes(word)),
  );
  return (
    <Section>
      <div className="flex flex-wrap gap-1.5">
        <Button onClick={() => take([{ name: "finish", on: "all", base: BARE, coats: [freshCoat("coat")] }])}>
          New finish
        </Button>
        <FilesButton
          label="Import"
          what="Finishes (JSON), or a MaterialX document with its pictures"
          accept=".json,.mtlx,.png,.jpg,.jpeg,.tif,.tiff,.tga,.exr"
          several
          onFiles={chosen}
        />
        {finishes.length > 0 && <Button onClick={() => exported().catch(say)}>Export</Button>}
      </div>
      <Fold
        key={finishes.length === 0 ? "first" : "more"}
        title="Ready-made"
        startsOpen={finishes.length === 0}
      >
        <input
          type="search"
          aria-label="Search ready-made finishes"
          placeholder="Search, such as metal or wood"
          value={wanted}
          onChange={(e) => setWanted(e.target.value)}
          onKeyDown={(e) => e.stopPropagation()}
          className="mb-1 h-7 w-full rounded bg-sunk px-2"
        />
        <Row label="Give to" hint="Or drag one onto a part of the model.">
          <Select
            label="What a finish that is added is given to"
            options={[["all", "Everything"] as const, ...parts.map((name) => [name, name] as const)]}
            value={to}
            onChange={setTo}
          />
        </Row>
        <FinishList lines={found ?? []} of={`ready ${word}`} onTake={(finish) => take([given(finish)])} />
        {found?.length === 0 && <p className="text-ink-3">No results.</p>}
        {ready.isError && <p className="text-madder">{ready.error.message}</p>}
      </Fold>
      {kept.length > 0 && (
        <Fold title={`Library (${kept.length})`}>
          <FinishList
            lines={kept.flatMap((entry) =>
              entry.finishes.map((finish) => ({ finish, explains: (entry.tags ?? []).join(", ") })),
            )}
            of={`library ${kept.map((entry) => entry.finishes[0]?.name).join(",")}`}
            onTake={(finish) => {
              const entry = kept.find((e) => e.finishes.some((f) => f.name === finish.name));
              if (entry) fitted(entry).catch(say);
            }}
            onRemove={(name) => remove(name).catch(say)}
          />
        </Fold>
      )}
    </Section>
  );
}
