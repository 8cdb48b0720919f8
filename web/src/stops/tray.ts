// Files on their way in: guessed by name, sent with progress, stopped, and told apart when they fail.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { create } from "zustand";
import { sendMesh } from "../api/client";
import { useActions } from "../api/queries";
import type { Role } from "../api/types";
import { useStore } from "../state";

export interface Pending {
  key: number;
  file: File;
  role: Role | null;
  /** Share sent, or null while its role is not known. */
  share: number | null;
  failed: string | null;
  abort?: () => void;
}

const useFiles = create<{ pending: Pending[] }>()(() => ({ pending: [] }));
let next = 1;
/** One file is read at a time, so that each builds on the recipe the last one left. */
let queue: Promise<unknown> = Promise.resolve();

function guess(name: string): Role | null {
  const stem = name.toLowerCase().replace(/\.[^.]*$/, "");
  if (/[_\-. ](low|lo|lp|lowpoly)$/.test(stem)) return "low";
  if (/[_\-. ](high|hi|hp|highpoly|sculpt)$/.test(stem)) return "high";
  return /[_\-. ]cage$/.test(stem) ? "cage" : null;
}

function change(key: number, by: Partial<Pending>) {
  useFiles.setState((s) => ({ pending: s.pending.map((p) => (p.key === key ? { ...p, ...by } : p)) }));
}

export function useTray() {
  const pending = useFiles((s) => s.pending);
  const asset = useStore((s) => s.asset);
  const client = useQueryClient();
  const { put } = useActions();

  const drop = useCallback((key: number) => {
    const found = useFiles.getState().pending.find((p) => p.key === key);
    found?.abort?.();
    useFiles.setState((s) => ({ pending: s.pending.filter((p) => p.key !== key) }));
  }, []);

  const send = useCallback(
    (key: number, role: Role) => {
      if (asset === null) return;
      change(key, { role, share: 0 });
      queue = queue.then(async () => {
        const wanted = useFiles.getState().pending.find((p) => p.key === key);
        if (!wanted) return;
        const { done, abort } = sendMesh(asset, role, wanted.file, (share) => change(key, { share }));
        change(key, { abort });
        try {
          put(await done);
          drop(key);
          await client.invalidateQueries({ queryKey: ["reach"] });
        } catch (error) {
          change(key, { failed: error instanceof Error ? error.message : String(error) });
        }
      });
    },
    [asset, client, drop, put],
  );

  const offer = useCallback(
    (files: File[]) => {
      for (const file of files) {
        const key = next++;
        const role = guess(file.name);
        useFiles.setState((s) => ({
          pending: [...s.pending, { key, file, role: null, share: null, failed: null }],
        }));
        if (role) send(key, role);
      }
      if (files.length > 0) useStore.getState().set({ stop: "meshes" });
    },
    [send],
  );
  return { pending, offer, send, drop };
}
