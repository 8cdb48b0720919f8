// Files on their way in: guessed by name, sent with progress, stopped, and told apart when they fail.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { create } from "zustand";
import { sendMesh } from "../api/client";
import { useActions, useRecipe } from "../api/queries";
import type { AssetView, Endings, Role } from "../api/types";
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

/** A file that some mesh may name: a material library, a texture, a buffer. */
export interface Beside {
  key: number;
  file: File;
  /** Meshes were sent with it, and none of them named it. */
  unnamed: boolean;
}

interface Files {
  pending: Pending[];
  beside: Beside[];
  /** What to know of files that were brought in. */
  told: string[];
}
const useFiles = create<Files>()(() => ({ pending: [], beside: [], told: [] }));
let next = 1;
/** One file is read at a time, so that each builds on the recipe the last one left. */
let queue: Promise<unknown> = Promise.resolve();

const plain = (name: string) =>
  name
    .trim()
    .toLowerCase()
    .replace(/[.\- ]/g, "_");

/** Endings of files that only mean something to a mesh that names them. */
export const BESIDE = [".mtl", ".bin", ".png", ".jpg", ".jpeg", ".tga", ".tif", ".tiff", ".exr"];
/** Meshes that name other files; the rest hold everything themselves. */
const NAMES_OTHERS = [".obj", ".gltf"];
const endsIn = (name: string, endings: string[]) => endings.some((e) => name.toLowerCase().endsWith(e));

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

/** Files a mesh named have come in with it; another may name the rest. */
function named(view: AssetView, mesh: string, sent: File[]) {
  const { low, high, cage } = view.recipe;
  const sources = [...low, ...high, ...(cage ? [cage] : [])].filter((s) => s.file === mesh);
  const there = sources.flatMap((s) => s.beside ?? []);
  const kept = (file: File) => there.some((b) => b.file === file.name);
  useFiles.setState((s) => ({
    beside: s.beside
      .filter((b) => !(sent.includes(b.file) && kept(b.file)))
      .map((b) => (sent.includes(b.file) ? { ...b, unnamed: true } : b)),
  }));
}

export function useTray() {
  const { pending, beside, told } = useFiles();
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
    // Each mesh gets all of them: two may name the same.
    const waiting = useFiles.getState().beside.map((b) => b.file);
    for (const { key, role, share } of useFiles.getState().pending) {
      if (role === null || share !== null) continue;
      change(key, { share: 0, failed: null });
      queue = queue.then(async () => {
        const wanted = useFiles.getState().pending.find((p) => p.key === key);
        if (!wanted) return;
        const onShare = (share: number) => change(key, { share });
        const ahead = endsIn(wanted.file.name, NAMES_OTHERS) ? waiting : [];
        const { done, abort } = sendMesh(asset, role, wanted.file, wanted.replaces, ahead, onShare);
        change(key, { abort });
        try {
          const view = await done;
          put(view);
          drop(key);
          useFiles.setState((s) => ({ told: [...s.told, ...view.told] }));
          if (ahead.length > 0) named(view, wanted.file.name, ahead);
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
      const beside = files.filter((f) => endsIn(f.name, BESIDE));
      const meshes = files.filter((f) => !beside.includes(f));
      const fresh = meshes.map((file): Pending => {
        const role = guess(file.name, endings);
        const same =
          role === "low" || role === "high" ? recipe?.[role].find((s) => s.file === file.name) : null;
        return { key: next++, file, role, replaces: same?.file ?? null, share: null, failed: null };
      });
      useFiles.setState((s) => ({
        pending: [...s.pending, ...fresh],
        // The newer of two of one name counts.
        beside: [
          ...s.beside.filter((b) => !beside.some((f) => f.name === b.file.name)),
          ...beside.map((file) => ({ key: next++, file, unnamed: false })),
        ],
      }));
      if (files.length > 0) useStore.getState().set({ stop: "meshes" });
    },
    [recipe],
  );
  const read = useCallback(() => useFiles.setState({ told: [] }), []);
  const dropBeside = useCallback((key: number) => {
    useFiles.setState((s) => ({ beside: s.beside.filter((b) => b.key !== key) }));
  }, []);
  return { pending, beside, told, offer, amend, sendAll, drop, dropBeside, read };
}
