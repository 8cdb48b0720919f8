// Which asset is open: the list of them, a new one, and the end of one.
import { useQueryClient } from "@tanstack/react-query";
import { ChevronDown, Plus, Trash2 } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useState } from "react";
import { api } from "../api/client";
import { open } from "../api/open";
import { say, useAsset, useAssets } from "../api/queries";
import { count } from "../ui/parts";
import { DeleteDialog } from "./delete-dialog";

export function AssetPicker() {
  const assets = useAssets().data ?? [];
  const asset = useAsset().data;
  const client = useQueryClient();
  const add = async () => {
    const taken = new Set(assets.map((a) => a.name));
    let n = 1;
    while (taken.has(`New asset ${n}`)) n++;
    try {
      const made = await api.addAsset(`New asset ${n}`);
      await client.invalidateQueries({ queryKey: ["assets"] });
      open({ asset: made.id, stop: "meshes" });
    } catch (error) {
      say(error);
    }
  };
  const [deleting, setDeleting] = useState(false);
  const of = (role: "low" | "high") => asset?.meshes.filter((m) => m.role === role) ?? [];
  const triangles = (role: "low" | "high") => of(role).reduce((n, m) => n + m.summary.triangles, 0);
  const parts = of("low").reduce((n, m) => n + m.summary.parts.length, 0);
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger className="flex h-7 min-w-0 items-center gap-2 rounded px-1.5 hover:bg-sunk">
        <span className="sr-only">Asset: </span>
        <b className="truncate">{asset?.name ?? "No asset"}</b>
        {asset && triangles("low") > 0 && (
          <span className="hidden truncate text-ink-3 lg:inline">
            {parts} {parts === 1 ? "part" : "parts"},{" "}
            {triangles("high") > 0 && `${count(triangles("high"))} over `}
            {count(triangles("low"))} triangles
          </span>
        )}
        <ChevronDown className="size-3.5 shrink-0 text-ink-2" />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={4}
          className="z-50 min-w-56 rounded border border-line bg-sheet p-1 shadow-lg"
        >
          {assets.map((a) => (
            <DropdownMenu.Item
              key={a.id}
              onSelect={() => open({ asset: a.id })}
              className={`rounded px-2 py-1.5 outline-none data-highlighted:bg-sunk ${a.id === asset?.id ? "font-semibold" : ""}`}
            >
              {a.name}
            </DropdownMenu.Item>
          ))}
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item
            onSelect={add}
            className="flex items-center gap-1.5 rounded px-2 py-1.5 outline-none data-highlighted:bg-sunk"
          >
            <Plus className="size-3.5" /> New asset
          </DropdownMenu.Item>
          {asset && (
            <DropdownMenu.Item
              onSelect={() => setDeleting(true)}
              className="flex items-center gap-1.5 rounded px-2 py-1.5 outline-none data-highlighted:bg-sunk"
            >
              <Trash2 className="size-3.5" /> Delete {asset.name}
            </DropdownMenu.Item>
          )}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
      {deleting && asset && (
        <DeleteDialog
          title={`Delete ${asset.name}?`}
          frees={() => api.assetFrees(asset.id)}
          onDelete={() => api.deleteAsset(asset.id)}
          onClose={() => setDeleting(false)}
        >
          Its files, settings and all {asset.run_count} runs are removed. This cannot be undone.
        </DeleteDialog>
      )}
    </DropdownMenu.Root>
  );
}
