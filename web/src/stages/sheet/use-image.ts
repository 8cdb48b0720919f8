// A picture from an address. The old one stays until the new one is there, so that a sheet never blinks; those that were shown lately are
// held, so that going back to one, or to and fro between two, waits for nothing.
import { useEffect, useRef, useState } from "react";
import { SheetPicture, type Squares } from "./picture";

const HELD = 4;
/** Texels per side of what is held, at most: larger ones would fill the memory. */
const MOST_HELD = 4096;
const held = new Map<string, SheetPicture>();

/** Holds a picture as the newest, and lets go of the oldest. */
function hold(url: string, picture: SheetPicture) {
  held.delete(url);
  held.set(url, picture);
  for (const oldest of [...held.keys()].slice(0, Math.max(0, held.size - HELD))) held.delete(oldest);
}

/** Whether what lies at an address stays the same. */
const lasts = (url: string) => url.startsWith("/api/pictures/") || /\/(difference|look)\//.test(url);

/** The picture at an address; `squares` are those of a large map, whose copy lies there. */
export function useLoadedPicture(url: string | null, squares: Squares | null = null): SheetPicture | null {
  const [picture, setPicture] = useState<SheetPicture | null>(null);
  const latest = useRef(squares);
  latest.current = squares;
  useEffect(() => {
    if (!url) {
      setPicture(null);
      return;
    }
    const known = held.get(url);
    if (known) {
      hold(url, known);
      setPicture(known);
      return;
    }
    let gone = false;
    const next = new Image();
    next.onload = () => {
      if (gone) return;
      const made = new SheetPicture(next, latest.current);
      if (lasts(url) && next.naturalWidth <= MOST_HELD) hold(url, made);
      setPicture(made);
    };
    next.src = url;
    return () => {
      gone = true;
    };
  }, [url]);
  return picture;
}
