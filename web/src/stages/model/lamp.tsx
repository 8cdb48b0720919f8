// Where the light stands: a small dome seen from the camera, with a dot to drag; arrow keys move it too. While a hand is on it, the
// lamp shows over the model, with the way its light goes.
import { type KeyboardEvent, type PointerEvent, useCallback, useRef, useState } from "react";
import { type Scene, useOnDraw } from "./scene";

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

const STEPS: Record<string, LightPlace> = {
  ArrowLeft: [-0.1, 0],
  ArrowRight: [0.1, 0],
  ArrowUp: [0, 0.1],
  ArrowDown: [0, -0.1],
};

export function Lamp({ place, onMove }: { place: LightPlace; onMove: (place: LightPlace) => void }) {
  const disc = useRef<HTMLDivElement>(null);
  const [held, setHeld] = useState(false);
  const drag = (e: PointerEvent) => {
    if (!(e.buttons & 1) || !disc.current) return;
    disc.current.setPointerCapture(e.pointerId);
    const box = disc.current.getBoundingClientRect();
    onMove(
      onDisc(((e.clientX - box.left) / box.width) * 2 - 1, 1 - ((e.clientY - box.top) / box.height) * 2),
    );
  };
  const key = (e: KeyboardEvent) => {
    const by = STEPS[e.key];
    if (!by) return;
    e.preventDefault();
    onMove(onDisc(place[0] + by[0], place[1] + by[1]));
  };
  return (
    <>
      {held && <OverModel place={place} />}
      <div
        ref={disc}
        role="slider"
        tabIndex={0}
        aria-label="Light"
        aria-valuemin={-90}
        aria-valuemax={90}
        aria-valuenow={Math.round((Math.asin(place[0]) * 180) / Math.PI)}
        aria-valuetext={`${Math.round(place[0] * 100)} right, ${Math.round(place[1] * 100)} up`}
        onPointerDown={drag}
        onPointerMove={drag}
        onPointerEnter={() => setHeld(true)}
        onPointerLeave={() => setHeld(false)}
        onFocus={() => setHeld(true)}
        onBlur={() => setHeld(false)}
        onKeyDown={key}
        className="absolute right-3 bottom-3 size-11 touch-none rounded-full bg-(--stage-tool) ring-1 ring-white/40"
      >
        <i
          className="absolute size-2.5 -translate-1/2 rounded-full bg-white ring-2 ring-(--ember)"
          style={{ left: `${50 + place[0] * 44}%`, top: `${50 - place[1] * 44}%` }}
        />
      </div>
    </>
  );
}

/** The lamp and its ray towards the middle of the model. */
function OverModel({ place: [x, y] }: { place: LightPlace }) {
  const mark = useRef<SVGGElement>(null);
  const line = useRef<SVGLineElement>(null);
  const follow = useCallback(
    ({ viewer }: Scene) => {
      const seen = viewer.middle();
      if (!seen || !mark.current || !line.current) return;
      const { at, radius } = seen;
      const lamp = [at[0] + x * radius * 1.15, at[1] - y * radius * 1.15] as const;
      mark.current.setAttribute("transform", `translate(${lamp[0]} ${lamp[1]})`);
      const from = [at[0] + x * radius * 0.98, at[1] - y * radius * 0.98];
      const to = [at[0] + x * radius * 0.35, at[1] - y * radius * 0.35];
      for (const [name, value] of [
        ["x1", from[0]],
        ["y1", from[1]],
        ["x2", to[0]],
        ["y2", to[1]],
      ] as const)
        line.current.setAttribute(name, String(value));
    },
    [x, y],
  );
  useOnDraw(follow);
  return (
    <svg className="pointer-events-none absolute inset-0 size-full" aria-hidden>
      <line ref={line} className="stroke-white/90" strokeWidth="2" strokeDasharray="6 4" />
      <g ref={mark}>
        <circle r="9" className="fill-(--ember) stroke-white" strokeWidth="2" />
        {[0, 45, 90, 135, 180, 225, 270, 315].map((turn) => (
          <line
            key={turn}
            y1="-12"
            y2="-16"
            className="stroke-white"
            strokeWidth="2"
            transform={`rotate(${turn})`}
          />
        ))}
      </g>
    </svg>
  );
}
