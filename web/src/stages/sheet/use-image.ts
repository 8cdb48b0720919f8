// An image from an address. The old one stays until the new one is there, so that a sheet never blinks; those that were shown lately are
// held, so that going back to one, or to and fro between two, waits for nothing.
import { useEffect, useState } from "react";

const HELD = 4;
/** Texels per side of what is held, at most: larger ones would fill the memory. */
const MOST_HELD = 4096;
const held = new Map<string, HTMLImageElement>();

/** Holds an image as the newest, and lets go of the oldest. */
function hold(url: string, image: HTMLImageElement) {
  held.delete(url);
  held.set(url, image);
  for (const oldest of [...held.keys()].slice(0, Math.max(0, held.size - HELD))) held.delete(oldest);
}

/** Whether what lies at an address stays the same. */
const lasts = (url: string) => url.startsWith("/api/pictures/") || url.includes("/difference/");

export function useLoadedImage(url: string | null): HTMLImageElement | null {
  const [image, setImage] = useState<HTMLImageElement | null>(null);
  useEffect(() => {
    if (!url) {
      setImage(null);
      return;
    }
    const known = held.get(url);
    if (known) {
      hold(url, known);
      setImage(known);
      return;
    }
    let gone = false;
    const next = new Image();
    next.onload = () => {
      if (gone) return;
      if (lasts(url) && next.naturalWidth <= MOST_HELD) hold(url, next);
      setImage(next);
    };
    next.src = url;
    return () => {
      gone = true;
    };
  }, [url]);
  return image;
}
