// The shell: top bar, trail, the stop's panel, the two stages, the ledger.
import { type ComponentType, type PointerEvent, useEffect, useRef, useState } from "react";
import { Toaster } from "sonner";
import { useEvents } from "./api/events";
import { useAssets, useSaving } from "./api/queries";
import { ModelStage } from "./model/model-stage";
import { useFollowing } from "./reach/live";
import { SheetStage } from "./sheet/sheet-stage";
import { ConflictDialog } from "./shell/conflict-dialog";
import { CommandBox, KeysHelp } from "./shell/dialogs";
import { useKeys } from "./shell/keys";
import { Ledger } from "./shell/ledger";
import { TopBar } from "./shell/top-bar";
import { Trail } from "./shell/trail";
import { STOP_LABELS, type Stop, useStore } from "./state";
import { BakeStop } from "./stops/bake";
import { DeliverStop } from "./stops/deliver";
import { MapsStop } from "./stops/maps";
import { MasksStop } from "./stops/masks";
import { MeshesStop } from "./stops/meshes";
import { PairsStop } from "./stops/pairs";
import { ReachStop } from "./stops/reach";
import { ReviewStop } from "./stops/review";
import { useTray } from "./stops/tray";

const PANELS: Record<Stop, ComponentType> = {
  meshes: MeshesStop,
  pairs: PairsStop,
  reach: ReachStop,
  maps: MapsStop,
  bake: BakeStop,
  review: ReviewStop,
  masks: MasksStop,
  deliver: DeliverStop,
};

export function App() {
  useEvents();
  useSaving();
  useKeys();
  useFollowing();
  const { stop, theme, asset, set } = useStore();
  const assets = useAssets();
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  // The page opens on the first asset: the lantern, in a demo.
  useEffect(() => {
    if (!assets.data) return;
    // One that was deleted, here or in another tab, makes room for the next.
    if (asset === null || !assets.data.some((a) => a.id === asset)) {
      set({ asset: assets.data[0]?.id ?? null, run: null });
    }
  }, [asset, assets.data, set]);
  const Panel = PANELS[stop];
  return (
    <div className="grid h-full grid-rows-[44px_42px_1fr_96px]">
      <TopBar />
      <Trail />
      <main className="grid min-h-0 grid-cols-[minmax(264px,320px)_1fr]">
        {/* A stop opens at its top, however far down the one before was read. */}
        <aside
          key={stop}
          aria-label={STOP_LABELS[stop]}
          className="relative min-h-0 overflow-x-hidden overflow-y-auto border-r border-line bg-sheet"
        >
          <Panel />
        </aside>
        <Stages />
      </main>
      <Ledger />
      <CommandBox />
      <KeysHelp />
      <ConflictDialog />
      <DropAnywhere />
      <Toaster
        theme={theme === "night" ? "dark" : "light"}
        position="bottom-right"
        closeButton
        offset={110}
      />
    </div>
  );
}

function Stages() {
  const { stages, split, set } = useStore();
  const host = useRef<HTMLDivElement>(null);
  const drag = (e: PointerEvent) => {
    if (!(e.buttons & 1) || !host.current) return;
    e.currentTarget.setPointerCapture(e.pointerId);
    const box = host.current.getBoundingClientRect();
    set({ split: Math.min(0.8, Math.max(0.2, (e.clientX - box.left) / box.width)) });
  };
  const columns = { model: "1fr 0 0", both: `${split}fr 5px ${1 - split}fr`, sheet: "0 0 1fr" }[stages];
  return (
    <div ref={host} className="grid min-w-0 bg-stage" style={{ gridTemplateColumns: columns }}>
      <ModelStage />
      <div
        role="separator"
        aria-orientation="vertical"
        aria-label="Divide the stages"
        aria-valuenow={Math.round(split * 100)}
        tabIndex={0}
        onPointerDown={drag}
        onPointerMove={drag}
        onDoubleClick={() => set({ split: 0.5 })}
        onKeyDown={(e) => {
          const by = e.key === "ArrowLeft" ? -0.03 : e.key === "ArrowRight" ? 0.03 : 0;
          if (by !== 0) set({ split: Math.min(0.8, Math.max(0.2, split + by)) });
        }}
        className="cursor-col-resize touch-none bg-stage-line hover:bg-ember"
      />
      <SheetStage />
    </div>
  );
}

/** Files may be dropped on any place of the window. */
function DropAnywhere() {
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
    <div className="pointer-events-none fixed inset-3 z-50 grid place-items-center rounded border-2 border-dashed border-ember bg-black/40">
      <b className="text-lg text-white">Drop files to import them</b>
    </div>
  );
}
