// Files to import: guessed by name, sent with progress, stopped, and told apart when they fail.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { create } from "zustand";
import { api, sendMesh } from "../../api/client";
import { open, useOpen } from "../../api/open";
import { say, settled, useActions } from "../../api/queries";
import type { AssetView, Offered, Role } from "../../api/types";

export interface Pending {
  key: number;
  file: File;
  /** Guessed from its name, and changed by the user. */
  role: Role | null;
  /** The file whose place and settings it takes; null adds it. */
  replaces: string | null;
  /** Share sent, or null while it waits for a word. */
  share: number | null;
  failed: string | null;
  /** It may name files beside it. */
  namesOthers: boolean;
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
  /** What to know of files that were imported. */
  told: string[];
}
const useFiles = create<Files>()(() => ({ pending: [], beside: [], told: [] }));
let next = 1;
/** One file is read at a time, so that each builds on the recipe the last one left. */
let queue: Promise<unknown> = Promise.resolve();

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

/** Puts files on the tray, as what they are taken for. */
function take(files: File[], offers: Offered[]) {
  const both = files.flatMap((file, i) => {
    const offered = offers[i];
    return offered ? [{ file, offered }] : [];
  });
  const beside = both.filter(({ offered }) => offered.beside).map(({ file }) => file);
  const fresh = both.filter(({ offered }) => !offered.beside);
  useFiles.setState((s) => ({
    pending: [
      ...s.pending,
      ...fresh.map(({ file, offered }): Pending => {
        const { role, replaces, names_others: namesOthers } = offered;
        return { key: next++, file, role, replaces, share: null, failed: null, namesOthers };
      }),
    ],
    // The newer of two of one name counts.
    beside: [
      ...s.beside.filter((b) => !beside.some((f) => f.name === b.file.name)),
      ...beside.map((file) => ({ key: next++, file, unnamed: false })),
    ],
  }));
}

export function useTray() {
  const { pending, beside, told } = useFiles();
  const asset = useOpen((s) => s.asset);
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
        const ahead = wanted.namesOthers ? waiting : [];
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
    async (files: File[]) => {
      if (files.length === 0 || asset === null) return;
      open({ stop: "meshes" });
      try {
        // Suffixes that are being typed count.
        await settled();
        const names = files.map((f) => f.name);
        take(files, await api.offers(asset, names));
      } catch (error) {
        say(error);
      }
    },
    [asset],
  );
  const read = useCallback(() => useFiles.setState({ told: [] }), []);
  const dropBeside = useCallback((key: number) => {
    useFiles.setState((s) => ({ beside: s.beside.filter((b) => b.key !== key) }));
  }, []);
  return { pending, beside, told, offer, amend, sendAll, drop, dropBeside, read };
}
