// Files on their way in: guessed by name, sent with progress, stopped, and told apart when they fail.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { create } from "zustand";
import { sendMesh } from "../api/client";
import { useActions, useRecipe } from "../api/queries";
import type { Endings, Role } from "../api/types";
import { useStore } from "../state";

export interface Pending {
  key: number;
  file: File;
  /** Guessed from its name, and changed by hand. */
  role: Role | null;
  /** The file whose place and settings it takes; null adds it. */
  replaces: string | null;
  /** Share sent, or null while it waits for a word. */
  share: number | null;
  failed: string | null;
  abort?: () => void;
}

interface Files {
  pending: Pending[];
  /** What of the settings did not hold for files that were brought in. */
  notCarried: string[];
}
const useFiles = create<Files>()(() => ({ pending: [], notCarried: [] }));
let next = 1;
/** One file is read at a time, so that each builds on the recipe the last one left. */
let queue: Promise<unknown> = Promise.resolve();

const plain = (name: string) =>
  name
    .trim()
    .toLowerCase()
    .replace(/[.\- ]/g, "_");

/** What a file is by the ending of its name; the asset's own endings tell. */
function guess(name: string, endings: Endings): Role | null {
  const stem = plain(name.replace(/\.[^.]*$/, ""));
  const roles: [Role, string[]][] = [
    ["low", endings.low],
    ["high", endings.high],
    ["cage", endings.cage],
  ];
  const fits = roles.flatMap(([role, all]) =>
    all.filter((e) => e.trim() !== "" && stem.endsWith(plain(e))).map((e) => [role, e.length] as const),
  );
  return fits.sort((a, b) => b[1] - a[1])[0]?.[0] ?? null;
}

function change(key: number, by: Partial<Pending>) {
  useFiles.setState((s) => ({ pending: s.pending.map((p) => (p.key === key ? { ...p, ...by } : p)) }));
}

export function useTray() {
  const { pending, notCarried } = useFiles();
  const [recipe] = useRecipe();
  const asset = useStore((s) => s.asset);
  const client = useQueryClient();
  const { put } = useActions();

  const drop = useCallback((key: number) => {
    const found = useFiles.getState().pending.find((p) => p.key === key);
    found?.abort?.();
    useFiles.setState((s) => ({ pending: s.pending.filter((p) => p.key !== key) }));
  }, []);

  const amend = useCallback((key: number, by: Pick<Partial<Pending>, "role" | "replaces">) => {
    change(key, { failed: null, ...by });
  }, []);

  /** Sends every file whose role is known. */
  const sendAll = useCallback(() => {
    if (asset === null) return;
    for (const { key, role, share } of useFiles.getState().pending) {
      if (role === null || share !== null) continue;
      change(key, { share: 0, failed: null });
      queue = queue.then(async () => {
        const wanted = useFiles.getState().pending.find((p) => p.key === key);
        if (!wanted) return;
        const told = (share: number) => change(key, { share });
        const { done, abort } = sendMesh(asset, role, wanted.file, wanted.replaces, told);
        change(key, { abort });
        try {
          const view = await done;
          put(view);
          drop(key);
          useFiles.setState((s) => ({ notCarried: [...s.notCarried, ...view.not_carried] }));
          await client.invalidateQueries({ queryKey: ["reach"] });
        } catch (error) {
          change(key, { failed: error instanceof Error ? error.message : String(error), share: null });
        }
      });
    }
  }, [asset, client, drop, put]);

  const offer = useCallback(
    (files: File[]) => {
      const endings = recipe?.endings ?? { low: [], high: [], cage: [] };
      const fresh = files.map((file): Pending => {
        const role = guess(file.name, endings);
        const same =
          role === "low" || role === "high" ? recipe?.[role].find((s) => s.file === file.name) : null;
        return { key: next++, file, role, replaces: same?.file ?? null, share: null, failed: null };
      });
      useFiles.setState((s) => ({ pending: [...s.pending, ...fresh] }));
      if (files.length > 0) useStore.getState().set({ stop: "meshes" });
    },
    [recipe],
  );
  const read = useCallback(() => useFiles.setState({ notCarried: [] }), []);
  return { pending, notCarried, offer, amend, sendAll, drop, read };
}
