// Where the light stands: a small dome seen from the camera, with a dot to drag. Arrow keys move it too.
import { type KeyboardEvent, type PointerEvent, useRef } from "react";

export type LightPlace = [number, number];

/** A place on the disc (-1..1) to a direction towards the light in view space. */
export function lightDirection([x, y]: LightPlace): [number, number, number] {
  const length = Math.min(0.98, Math.hypot(x, y));
  return [x, y, Math.sqrt(1 - length * length)];
}

function onDisc(x: number, y: number): LightPlace {
  const length = Math.hypot(x, y);
  return length > 0.98 ? [(x / length) * 0.98, (y / length) * 0.98] : [x, y];
}

export function LightPuck({ place, onMove }: { place: LightPlace; onMove: (place: LightPlace) => void }) {
  const disc = useRef<HTMLDivElement>(null);
  const drag = (e: PointerEvent) => {
    if (!(e.buttons & 1) || !disc.current) return;
    disc.current.setPointerCapture(e.pointerId);
    const box = disc.current.getBoundingClientRect();
    onMove(
      onDisc(((e.clientX - box.left) / box.width) * 2 - 1, 1 - ((e.clientY - box.top) / box.height) * 2),
    );
  };
  const key = (e: KeyboardEvent) => {
    const step: Record<string, [number, number]> = {
      ArrowLeft: [-0.1, 0],
      ArrowRight: [0.1, 0],
      ArrowUp: [0, 0.1],
      ArrowDown: [0, -0.1],
    };
    const by = step[e.key];
    if (!by) return;
    e.preventDefault();
    onMove(onDisc(place[0] + by[0], place[1] + by[1]));
  };
  return (
    <div
      ref={disc}
      role="slider"
      tabIndex={0}
      aria-label="Light"
      aria-valuemin={-90}
      aria-valuemax={90}
      aria-valuenow={Math.round((Math.asin(place[0]) * 180) / Math.PI)}
      aria-valuetext={`${Math.round(place[0] * 100)} right, ${Math.round(place[1] * 100)} up`}
      title="Drag to move the light"
      onPointerDown={drag}
      onPointerMove={drag}
      onKeyDown={key}
      className="relative size-11 touch-none rounded-full bg-(--stage-tool) ring-1 ring-white/30"
    >
      <i
        className="absolute size-2.5 -translate-1/2 rounded-full bg-white ring-2 ring-(--ember)"
        style={{ left: `${50 + place[0] * 44}%`, top: `${50 - place[1] * 44}%` }}
      />
    </div>
  );
}
