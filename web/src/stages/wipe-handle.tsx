// The line between two looks on the model stage: drag it, or move it with the arrow keys.
import type React from "react";

export function WipeHandle(props: {
  share: number;
  onMove: (share: number) => void;
  host: React.RefObject<HTMLDivElement | null>;
  sides: readonly [string, string];
}) {
  const { share, onMove, host, sides } = props;
  const drag = (e: React.PointerEvent) => {
    if (!(e.buttons & 1) || !host.current) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const box = host.current.getBoundingClientRect();
    onMove(Math.min(1, Math.max(0, (e.clientX - box.left) / box.width)));
  };
  const key = (e: React.KeyboardEvent) => {
    const by = e.key === "ArrowLeft" ? -0.02 : e.key === "ArrowRight" ? 0.02 : 0;
    if (by !== 0) onMove(Math.min(1, Math.max(0, share + by)));
  };
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={`Wipe between ${sides[0]} and ${sides[1]}`}
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(share * 100)}
      onPointerDown={drag}
      onPointerMove={drag}
      onKeyDown={key}
      // The model under the line is still zoomed.
      onWheel={(e) =>
        host.current?.querySelector("canvas")?.dispatchEvent(new WheelEvent("wheel", e.nativeEvent))
      }
      className="absolute top-10 bottom-0 z-10 -ml-3 w-6 cursor-ew-resize touch-none"
      style={{ left: `${share * 100}%` }}
    >
      <i className="absolute inset-y-0 left-1/2 w-px bg-white/80" />
      <span className="absolute top-7 left-1/2 flex -translate-x-1/2 gap-4 text-xs whitespace-nowrap text-on-stage [text-shadow:0_0_3px_#000]">
        <b>{sides[0]}</b>
        <b>{sides[1]}</b>
      </span>
    </div>
  );
}
