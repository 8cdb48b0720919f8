// Hands on the model stage: pointing tells both stages the place, a click does what a stop lends it to do, a press goes to the tool
// that is lent, and everything else turns the model.
import { type KeyboardEvent, type PointerEvent, useMemo, useRef } from "react";
import { clicked, cursorKey, Press } from "../clicks";
import { hover } from "../hover";
import { partAt } from "../mesh-data";
import { placeOn, type Sheets } from "../sheets";
import type { Pointed } from "./pointed";
import { type Scene, toolOf } from "./scene";

/** Pixels that the keyboard's cursor moves at a press. */
const CURSOR_STEP = 6;

export function usePointing(scene: Scene | null, sheets: Sheets | null) {
  // A press outlives the scene that it began in: a proof may land before the release.
  const hand = useRef({ press: new Press(), drags: false }).current;
  return useMemo(() => {
    const { press } = hand;
    const tool = () => (scene ? toolOf(scene.viewer) : null);
    const under = (e: PointerEvent): Pointed | null => {
      if (!(e.target instanceof HTMLCanvasElement)) return null;
      const box = e.target.getBoundingClientRect();
      return scene?.viewer.pick(e.clientX - box.left, e.clientY - box.top) ?? null;
    };
    const tell = (at: Pointed | null) => {
      if (!at || !scene?.low) return hover.set(null);
      const part = partAt(scene.low.data, at.triangle * 3);
      const place = placeOn(sheets, at.triangle, at.uv);
      hover.set({ from: "model", ...place, point: at.point, part, triangle: at.triangle });
    };
    // The cursor of the keyboard, in pixels of the stage; it begins in the middle.
    let cursor: [number, number] | null = null;
    const key = (e: KeyboardEvent): boolean => {
      const asked = cursorKey(e);
      const stage = e.currentTarget.getBoundingClientRect();
      if (!asked || !scene) return false;
      const place = hover.get();
      if (asked === "click") {
        if (place) clicked(place, e);
        return place !== null;
      }
      const [x, y] = cursor ?? [stage.width / 2, stage.height / 2];
      cursor = [x + asked[0] * CURSOR_STEP, y + asked[1] * CURSOR_STEP];
      tell(scene.viewer.pick(...cursor));
      return true;
    };
    return {
      onKeyDown: (e: KeyboardEvent) => {
        if (!(e.target instanceof HTMLCanvasElement)) return;
        if (key(e) || (!e.shiftKey && scene?.viewer.key(e.key))) e.preventDefault();
      },
      onPointerDownCapture: (e: PointerEvent) => {
        if (!(e.target instanceof HTMLCanvasElement)) return;
        press.down(e);
        const at = tool() && e.button === 0 && !e.altKey ? under(e) : null;
        scene?.viewer.setTurnable(at === null);
        if (!at) return;
        hand.drags = true;
        e.currentTarget.setPointerCapture(e.pointerId);
        tool()?.press(at, e);
      },
      onPointerMove: (e: PointerEvent) => {
        // A captured pointer's events come to the stage itself.
        const box = e.currentTarget.querySelector("canvas")?.getBoundingClientRect();
        if (hand.drags && box) {
          const at = scene?.viewer.pick(e.clientX - box.left, e.clientY - box.top) ?? null;
          tool()?.hover(at, e);
          return tool()?.drag(at, e);
        }
        if (e.buttons !== 0) return;
        const at = under(e);
        tool()?.hover(at, e);
        tell(at);
      },
      onPointerUp: (e: PointerEvent) => {
        scene?.viewer.setTurnable(true);
        if (hand.drags) {
          hand.drags = false;
          press.up(e);
          return tool()?.release();
        }
        const place = hover.get();
        if (press.up(e) && place && !tool()) clicked(place, e);
      },
      onPointerLeave: () => {
        tool()?.hover(null, null);
        hover.set(null);
      },
    };
  }, [scene, sheets, hand]);
}
