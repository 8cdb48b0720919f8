// The command box (Ctrl K): everything that can be done, gone to or found, by name.
import { Command } from "cmdk";
import { open } from "../api/open";
import { useActions, useAsset, useAssets, useMeshFindings, useShownRun } from "../api/queries";
import { lookAt, togglePart } from "../stages/view";
import { STOPS } from "../stops";
import { Panel } from "../ui/dialog";
import { setShell, toggleTheme, useShell } from "./state";

const ITEM = "flex justify-between gap-4 rounded px-2 py-1.5 data-[selected=true]:bg-sunk";
const GROUP =
  "[&_[cmdk-group-heading]]:px-2 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:pb-0.5 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-ink-3";

export function CommandBox() {
  const { commandOpen, theme } = useShell();
  const asset = useAsset().data;
  const assets = useAssets().data ?? [];
  const run = useShownRun();
  const actions = useActions();
  const close = () => setShell({ commandOpen: false });
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
  const meshes = useMeshFindings().data?.findings ?? [];
  const findings = [...meshes, ...(run?.found ?? [])];
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
            {item(theme === "day" ? "Night theme" : "Day theme", toggleTheme)}
            {item("Keyboard and mouse", () => setShell({ keysOpen: true }), "?")}
          </Command.Group>
          <Command.Group heading="Go to" className={GROUP}>
            {STOPS.map((stop) => item(stop.label, () => open({ stop: stop.id })))}
            {assets.map((a) => item(`Asset: ${a.name}`, () => open({ asset: a.id })))}
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
