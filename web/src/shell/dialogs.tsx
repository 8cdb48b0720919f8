// The command box (Ctrl K) and the list of keys (?).
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { useActions, useAsset, useAssets, useShownRun } from "../api/queries";
import { STOP_LABELS, STOPS, useStore } from "../state";
import { KEYS } from "./keys";
import { meshFindings, resultFindings } from "./trail";

function Panel(props: { open: boolean; title: string; onClose: () => void; children: ReactNode }) {
  return (
    <Dialog.Root open={props.open} onOpenChange={(open) => !open && props.onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[12vh] left-1/2 z-50 max-h-[72vh] w-[520px] max-w-[92vw] -translate-x-1/2 overflow-auto rounded border border-line bg-sheet text-ink shadow-xl outline-none"
        >
          <Dialog.Title className="sr-only">{props.title}</Dialog.Title>
          {props.children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

const ITEM = "flex justify-between gap-4 rounded px-2 py-1.5 data-[selected=true]:bg-sunk";
const GROUP =
  "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-0.5 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-ink-3";

export function CommandBox() {
  const { commandOpen, set, lookAt, togglePart, theme } = useStore();
  const asset = useAsset().data;
  const assets = useAssets().data ?? [];
  const run = useShownRun();
  const actions = useActions();
  const close = () => set({ commandOpen: false });
  const item = (label: string, act: () => void, key?: string) => (
    <Command.Item
      key={label}
      value={label}
      className={ITEM}
      onSelect={() => {
        close();
        act();
      }}
    >
      <span className="truncate">{label}</span>
      {key && <kbd className="num text-ink-3">{key}</kbd>}
    </Command.Item>
  );
  const findings = asset ? [...meshFindings(asset), ...resultFindings(run)] : [];
  return (
    <Panel open={commandOpen} title="Commands" onClose={close}>
      <Command label="Commands" loop>
        <Command.Input
          autoFocus
          placeholder="Find a command, part or finding"
          className="h-10 w-full border-b border-line bg-transparent px-3 text-base outline-none placeholder:text-ink-3"
        />
        <Command.List className="p-1">
          <Command.Empty className="p-4 text-center text-ink-3">No results.</Command.Empty>
          <Command.Group heading="Do" className={GROUP}>
            {item("Bake a proof", () => actions.bake("proof"), "B")}
            {item("Bake the final", () => actions.bake("final"), "Shift B")}
            {item("Undo", actions.undo, "Ctrl Z")}
            {item("Redo", actions.redo, "Ctrl Shift Z")}
            {item("Frame the model", () => lookAt(null), "F")}
            {item(theme === "day" ? "Night theme" : "Day theme", () =>
              set({ theme: theme === "day" ? "night" : "day" }),
            )}
            {item("List the keys", () => set({ keysOpen: true }), "?")}
          </Command.Group>
          <Command.Group heading="Go to" className={GROUP}>
            {STOPS.map((stop) => item(STOP_LABELS[stop], () => set({ stop })))}
            {assets.map((a) =>
              item(`Asset: ${a.name}`, () => set({ asset: a.id, run: null, hidden: new Set() })),
            )}
          </Command.Group>
          <Command.Group heading="Parts" className={GROUP}>
            {asset?.pairs.map((p) => item(`Show or hide ${p.low}`, () => togglePart(p.low)))}
          </Command.Group>
          {findings.length > 0 && (
            <Command.Group heading="Findings" className={GROUP}>
              {findings.map((f) => item(f.reason, () => lookAt(f.place.point)))}
            </Command.Group>
          )}
        </Command.List>
      </Command>
    </Panel>
  );
}

export function KeysHelp() {
  const { keysOpen, set } = useStore();
  return (
    <Panel open={keysOpen} title="Keys" onClose={() => set({ keysOpen: false })}>
      <div className="p-4">
        <h1 className="text-lg">Keys and hands</h1>
        <dl className="mt-2 grid grid-cols-[140px_1fr] gap-y-1.5">
          {KEYS.map(([keys, what]) => (
            <div key={keys} className="contents">
              <dt className="num self-center">{keys}</dt>
              <dd>{what}</dd>
            </div>
          ))}
        </dl>
      </div>
    </Panel>
  );
}
