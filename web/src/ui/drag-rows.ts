// Rows of a list that are dragged to another place. The pointer may leave the list meanwhile; letting go anywhere ends it.
import { type RefObject, useEffect, useRef, useState } from "react";

interface Drag<T> {
  /** Rows in the list, by selector, in their order. */
  rows: string;
  /** The pointer is over the row at this place, counted from the top. */
  over: (dragged: T, row: number) => void;
  dropped?: (dragged: T) => void;
}

/** What is dragged, and the start of a drag. */
export function useDraggedRow<T>(
  list: RefObject<HTMLElement | null>,
  drag: Drag<T>,
): [T | null, (dragged: T) => void] {
  const [dragged, setDragged] = useState<T | null>(null);
  const latest = useRef(drag);
  latest.current = drag;
  useEffect(() => {
    if (dragged === null) return;
    const move = (e: globalThis.PointerEvent) => {
      const rows = [...(list.current?.querySelectorAll<HTMLElement>(latest.current.rows) ?? [])];
      const row = rows.findIndex((one) => {
        const box = one.getBoundingClientRect();
        return e.clientY >= box.top && e.clientY < box.bottom;
      });
      if (row >= 0) latest.current.over(dragged, row);
    };
    const end = () => {
      latest.current.dropped?.(dragged);
      setDragged(null);
    };
    addEventListener("pointermove", move);
    addEventListener("pointerup", end);
    addEventListener("pointercancel", end);
    return () => {
      removeEventListener("pointermove", move);
      removeEventListener("pointerup", end);
      removeEventListener("pointercancel", end);
    };
  }, [dragged, list]);
  return [dragged, setDragged];
}
