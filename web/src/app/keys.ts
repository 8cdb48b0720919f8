// The keys of the whole window, and the list that `?` shows.
import { useEffect } from "react";
import { useProgress } from "../api/progress";
import { useActions } from "../api/queries";
import { lookAt, show, useView } from "../stages/view";
import { STOPS } from "../stops";
import { setShell, useShell } from "./state";

/** Every key and what it does, and what hands do on the stages. */
export const KEYS: readonly (readonly [string, string])[] = [
  ["Ctrl K", "Find a command, part or finding"],
  ["B  /  Shift B", "Bake a proof / the final"],
  ["Esc", "Close what is open: a dialog, the trace, the brush. With nothing open, stop the running bake"],
  ["Ctrl Z  /  Ctrl Shift Z", "Undo / redo the last change of the recipe"],
  ["1  2  3", "Model stage alone, both stages, sheet stage alone"],
  ["F", "Frame the model"],
  ["W", "Wires on the model"],
  ["U", "UVs on the sheet"],
  ["?", "This list"],
  ...STOPS.flatMap((stop) => stop.keys ?? []).map((row) => [row.shown, row.words] as const),
  ["Click", "On a stage: trace the texel under the pointer"],
  ["Drag", "Model: turn, or paint with a brush (beside the model or with Alt: turn). Sheet: move"],
  ["Shift or right drag", "Model: move"],
  ["Wheel, pinch", "Zoom to the pointer"],
  ["Arrows  +  -", "With a stage focused: turn or move, zoom"],
  ["Shift arrows  Enter", "With a stage focused: move the cursor, trace the texel under it"],
  ["Double click", "Sheet: fit it into view"],
  ["Drag a number", "Change its value. Shift: fine. Ctrl: coarse. Click to type; arithmetic works"],
];

/** What takes keys for itself while it is open or has the focus. */
const TAKES_KEYS =
  "input, textarea, select, [contenteditable], [role=combobox], [role=listbox], [role=menu], [role=dialog]";
const OPEN = "[role=menu][data-state=open], [role=listbox][data-state=open], [role=dialog][data-state=open]";

type Actions = ReturnType<typeof useActions>;

function closeSomething(actions: Actions) {
  const { running } = useProgress.getState();
  if (STOPS.some((stop) => stop.close?.())) return;
  if (running) actions.stop(running.run);
}

/** What each key does. */
function actsOf(actions: Actions): ReadonlyMap<string, (key: string) => void> {
  return new Map<string, (key: string) => void>([
    ["b", () => actions.bake("proof")],
    ["B", () => actions.bake("final")],
    ["1", () => show({ stages: "model" })],
    ["2", () => show({ stages: "both" })],
    ["3", () => show({ stages: "sheet" })],
    ["f", () => lookAt(null)],
    ["w", () => show({ wires: !useView.getState().wires })],
    ["u", () => show({ uvWires: !useView.getState().uvWires })],
    ["?", () => setShell({ keysOpen: true })],
    ["Escape", () => closeSomething(actions)],
    ...STOPS.flatMap((stop) => stop.keys ?? []).flatMap((row) =>
      row.keys.map((key) => [key, row.act] as const),
    ),
  ]);
}

export function useKeys() {
  const actions = useActions();
  useEffect(() => {
    const acts = actsOf(actions);
    const press = (e: KeyboardEvent) => {
      const { commandOpen, keysOpen } = useShell.getState();
      const typing = e.target instanceof HTMLElement && e.target.closest(TAKES_KEYS);
      const command = e.ctrlKey || e.metaKey;
      if (command && e.key.toLowerCase() === "k") {
        e.preventDefault();
        setShell({ commandOpen: !commandOpen });
      } else if (command && e.key.toLowerCase() === "z" && !typing) {
        e.preventDefault();
        if (e.shiftKey) actions.redo();
        else actions.undo();
      }
      // Asked before what is open hears of the key and closes: one press does one thing.
      if (command || e.altKey || typing || commandOpen || keysOpen || document.querySelector(OPEN)) return;
      const act = acts.get(e.key);
      if (!act) return;
      e.preventDefault();
      act(e.key);
    };
    window.addEventListener("keydown", press, { capture: true });
    return () => window.removeEventListener("keydown", press, { capture: true });
  }, [actions]);
}
