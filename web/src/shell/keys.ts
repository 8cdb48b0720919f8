// The keys of the whole window, and the list that `?` shows.
import { useEffect } from "react";
import { useActions } from "../api/queries";
import { brushSize } from "../reach/brush";
import { useStore } from "../state";

export const KEYS: readonly (readonly [string, string])[] = [
  ["Ctrl K", "Find a command, part or finding"],
  ["B  /  Shift B", "Bake a proof / the final"],
  ["Esc", "Close what is open: a dialog, the trace, the brush. With nothing open, stop the bake that runs"],
  ["Ctrl Z  /  Ctrl Shift Z", "Undo / redo the last change of the recipe"],
  ["1  2  3", "Model stage alone, both stages, sheet stage alone"],
  ["F", "Frame the model"],
  ["W", "Wires on the model"],
  ["E", "Envelope on the model"],
  ["U", "UVs on the sheet"],
  ["?", "This list"],
  ["N", "Needles at Reach"],
  ["[  ]", "With a brush at Reach: smaller, larger. Shift: weaker, stronger"],
  ["Click", "On a stage: trace the texel under the pointer"],
  ["Drag", "Model: turn, or paint with a brush (beside the model or with Alt: turn). Sheet: move"],
  ["Shift or right drag", "Model: move"],
  ["Wheel, pinch", "Zoom to the pointer"],
  ["Arrows  +  -", "On a stage that has the focus: turn or move, zoom"],
  ["Double click", "Sheet: fit it into view"],
  ["Drag a number", "Change it; Shift fine, Ctrl coarse. Click to type, arithmetic works"],
];

/** What takes keys for itself while it is open or has the focus. */
const TAKES_KEYS =
  "input, textarea, select, [contenteditable], [role=combobox], [role=listbox], [role=menu], [role=dialog]";
const OPEN = "[role=menu][data-state=open], [role=listbox][data-state=open], [role=dialog][data-state=open]";

export function useKeys() {
  const actions = useActions();
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const state = useStore.getState();
      const typing = e.target instanceof HTMLElement && e.target.closest(TAKES_KEYS);
      const command = e.ctrlKey || e.metaKey;
      if (command && e.key.toLowerCase() === "k") {
        e.preventDefault();
        state.set({ commandOpen: !state.commandOpen });
      } else if (command && e.key.toLowerCase() === "z" && !typing) {
        e.preventDefault();
        if (e.shiftKey) actions.redo();
        else actions.undo();
      }
      // Asked before what is open hears of the key and closes: one press does one thing.
      if (
        command ||
        e.altKey ||
        typing ||
        state.commandOpen ||
        state.keysOpen ||
        document.querySelector(OPEN)
      )
        return;
      const acts = new Map<string, () => void>([
        ["b", () => actions.bake("proof")],
        ["B", () => actions.bake("final")],
        ["1", () => state.set({ stages: "model" })],
        ["2", () => state.set({ stages: "both" })],
        ["3", () => state.set({ stages: "sheet" })],
        ["f", () => state.lookAt(null)],
        ["w", () => state.set({ wires: !state.wires })],
        ["e", () => state.set({ envelope: !state.envelope })],
        ["u", () => state.set({ uvWires: !state.uvWires })],
        ["?", () => state.set({ keysOpen: true })],
        ["n", () => state.stop === "reach" && state.set({ needles: state.needles > 0 ? 0 : 1500 })],
        ["[", () => state.brush && state.set({ brushSize: brushSize() / 1.2 })],
        ["]", () => state.brush && state.set({ brushSize: brushSize() * 1.2 })],
        ["{", () => state.brush && state.set({ brushStrength: Math.max(0.05, state.brushStrength - 0.1) })],
        ["}", () => state.brush && state.set({ brushStrength: Math.min(1, state.brushStrength + 0.1) })],
        [
          "Escape",
          () => {
            if (state.traced) state.set({ traced: null });
            else if (state.brush) state.set({ brush: null });
            else if (state.progress) actions.stop(state.progress.run);
          },
        ],
      ]);
      const act = acts.get(e.key);
      if (act) {
        e.preventDefault();
        act();
      }
    };
    window.addEventListener("keydown", press, { capture: true });
    return () => window.removeEventListener("keydown", press, { capture: true });
  }, [actions]);
}
