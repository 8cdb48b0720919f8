// Where finishes come from: ready-made ones that are searched, a file, or nothing.
import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "../../../api/client";
import { say, useAsset, useRecipe } from "../../../api/queries";
import type { Finish, KeptFinishes } from "../../../api/types";
import { Fold } from "../../../ui/fold";
import { Button, Section } from "../../../ui/parts";
import { useDiagonal } from "../edit";
import { openCoat } from "../state";
import { BARE, freshCoat, withFinishes } from "./edit";

export function AddFinish() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const diagonal = useDiagonal();
  const file = useRef<HTMLInputElement>(null);
  const [wanted, setWanted] = useState("");
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
  const read = async (chosen: File) => {
    try {
      const kept = JSON.parse(await chosen.text()) as KeptFinishes | Finish;
      const whole = "finishes" in kept ? kept : { finishes: [kept], diagonal: null, tags: [] };
      take(await api.fitFinishes(asset.id, whole));
    } catch (error) {
      say(
        error instanceof SyntaxError
          ? new Error(`${chosen.name}: it is not valid JSON. Choose a file that finishes were exported to.`)
          : error,
      );
    }
  };
  const exported = () => {
    const kept: KeptFinishes = { finishes, diagonal, tags: [] };
    const url = URL.createObjectURL(new Blob([JSON.stringify(kept, null, 2)], { type: "application/json" }));
    const link = document.createElement("a");
    link.href = url;
    link.download = `${asset.name.replaceAll(/[^\p{L}\p{N}]+/gu, "-")}-finishes.json`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(url), 4000);
  };
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
        <Button onClick={() => file.current?.click()}>Import</Button>
        {finishes.length > 0 && <Button onClick={exported}>Export</Button>}
        <input
          ref={file}
          type="file"
          accept=".json"
          aria-label="File of finishes"
          className="hidden"
          onChange={(e) => {
            const chosen = e.target.files?.[0];
            if (chosen) read(chosen);
            e.target.value = "";
          }}
        />
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
        <ul className="flex flex-col gap-0.5">
          {found?.map((line) => (
            <li key={line.finish.name}>
              <button
                type="button"
                onClick={() => take([line.finish])}
                className="w-full rounded px-1 py-0.5 text-left hover:bg-sunk"
              >
                <b>{line.finish.name}</b> <span className="text-xs text-ink-3">{line.explains}</span>
              </button>
            </li>
          ))}
          {found?.length === 0 && <li className="text-ink-3">None of them has this word.</li>}
          {ready.isError && <li className="text-madder">{ready.error.message}</li>}
        </ul>
      </Fold>
    </Section>
  );
}
