// A list of any length in a panel that scrolls: a few hundred rows and more are drawn only where they are seen.
import { useVirtualizer } from "@tanstack/react-virtual";
import {
  type CSSProperties,
  type ReactNode,
  type Ref,
  useCallback,
  useEffect,
  useLayoutEffect,
  useRef,
  useState,
} from "react";

/** So many rows are simply all drawn. */
const FEW = 80;
/** Rows drawn on either side of what is seen. */
const BESIDE = 10;

/** What a row spreads over its list item, so that it stands where it belongs. */
export interface Place {
  ref?: Ref<HTMLLIElement>;
  style?: CSSProperties;
  "data-index"?: number;
  "aria-setsize"?: number;
  "aria-posinset"?: number;
}

interface Props<T> {
  items: readonly T[];
  keyOf: (item: T) => string;
  /** The usual height of a row in pixels; rows may grow. */
  height: number;
  label?: string;
  className?: string;
  /** Draws one row as a list item that spreads its place. */
  children: (item: T, place: Place) => ReactNode;
}

export function LongList<T>(props: Props<T>) {
  const { items, label, className, children } = props;
  if (items.length > FEW) return <Virtual {...props} />;
  return (
    <ul className={className} aria-label={label}>
      {items.map((item) => children(item, {}))}
    </ul>
  );
}

function Virtual<T>({ items, keyOf, height, label, className, children }: Props<T>) {
  const list = useRef<HTMLUListElement>(null);
  const [scroller, setScroller] = useState<HTMLElement | null>(null);
  const [above, setAbove] = useState(0);
  const measure = useCallback(() => {
    if (list.current && scroller) setAbove(topIn(list.current, scroller));
  }, [scroller]);
  useLayoutEffect(() => setScroller(list.current && scrollerOf(list.current)), []);
  useLayoutEffect(measure);
  // What stands above the list in the panel may grow and shrink without it.
  useEffect(() => {
    if (!scroller) return;
    const watch = new ResizeObserver(measure);
    for (const part of scroller.children) watch.observe(part);
    return () => watch.disconnect();
  }, [scroller, measure]);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller,
    estimateSize: () => height,
    getItemKey: (i) => keyOf(items[i] as T),
    scrollMargin: above,
    overscan: BESIDE,
  });
  return (
    <ul
      ref={list}
      className={className}
      aria-label={label}
      style={{ position: "relative", height: rows.getTotalSize() }}
    >
      {rows.getVirtualItems().map(({ index, start }) =>
        children(items[index] as T, {
          ref: rows.measureElement,
          style: { position: "absolute", insetInline: 0, top: 0, translate: `0 ${start - above}px` },
          "data-index": index,
          "aria-setsize": items.length,
          "aria-posinset": index + 1,
        }),
      )}
    </ul>
  );
}

/** How far below the top of what the scroller holds an element stands, pixels. */
function topIn(element: HTMLElement, scroller: HTMLElement): number {
  const [own, around] = [element.getBoundingClientRect(), scroller.getBoundingClientRect()];
  return Math.round(own.top - around.top + scroller.scrollTop);
}

/** The nearest element around it that scrolls. */
function scrollerOf(element: HTMLElement): HTMLElement | null {
  for (let at = element.parentElement; at; at = at.parentElement) {
    if (/auto|scroll/.test(getComputedStyle(at).overflowY)) return at;
  }
  return null;
}
