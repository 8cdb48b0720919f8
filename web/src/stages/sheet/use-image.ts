// An image from an address. The old one stays until the new one is there, so that a sheet never blinks.
import { useEffect, useState } from "react";

export function useLoadedImage(url: string | null): HTMLImageElement | null {
  const [image, setImage] = useState<HTMLImageElement | null>(null);
  useEffect(() => {
    if (!url) {
      setImage(null);
      return;
    }
    let gone = false;
    const next = new Image();
    next.onload = () => !gone && setImage(next);
    next.src = url;
    return () => {
      gone = true;
    };
  }, [url]);
  return image;
}
