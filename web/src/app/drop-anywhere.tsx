// Files may be dropped on any place of the window.
import { useEffect, useState } from "react";
import { useTray } from "../stops/meshes/tray";

export function DropAnywhere() {
  const { offer } = useTray();
  const [over, setOver] = useState(false);
  useEffect(() => {
    const files = (e: DragEvent) => e.dataTransfer?.types.includes("Files") ?? false;
    const enter = (e: DragEvent) => {
      if (!files(e)) return;
      e.preventDefault();
      setOver(true);
    };
    const leave = (e: DragEvent) => e.relatedTarget === null && setOver(false);
    const drop = (e: DragEvent) => {
      if (!files(e)) return;
      e.preventDefault();
      setOver(false);
      offer([...(e.dataTransfer?.files ?? [])]);
    };
    window.addEventListener("dragover", enter);
    window.addEventListener("dragleave", leave);
    window.addEventListener("drop", drop);
    return () => {
      window.removeEventListener("dragover", enter);
      window.removeEventListener("dragleave", leave);
      window.removeEventListener("drop", drop);
    };
  }, [offer]);
  if (!over) return null;
  return (
    <div className="pointer-events-none fixed inset-3 z-50 grid place-items-center rounded border-2 border-dashed border-ember bg-black/60">
      <b className="text-lg text-white">Drop files to import them</b>
    </div>
  );
}
