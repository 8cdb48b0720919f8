// The stop's panel and the two stages side by side, with what every stop lends to the stages.
import { useEffect } from "react";
import { Group, Panel, Separator, useDefaultLayout, usePanelRef } from "react-resizable-panels";
import { useOpen } from "../api/open";
import { useAsset, useAssets } from "../api/queries";
import { ModelStage } from "../stages/model/model-stage";
import { SheetStage } from "../stages/sheet/sheet-stage";
import { useView } from "../stages/view";
import { STOPS } from "../stops";
import type { Stop } from "../stops/stop";
import { Failed } from "../ui/failed";
import { Section } from "../ui/parts";
import { Guard } from "./boundary";

const HANDLE = "w-[5px] cursor-col-resize touch-none hover:bg-ember data-[separator=active]:bg-ember";

export function Workspace() {
  const at = useOpen((s) => s.stop);
  const stop = STOPS.find((s) => s.id === at);
  const kept = useDefaultLayout({ id: "ember-ridge-workspace", storage: localStorage });
  return (
    <Group className="min-h-0" {...kept}>
      <Panel
        id="panel"
        defaultSize={320}
        minSize={264}
        maxSize={520}
        groupResizeBehavior="preserve-pixel-size"
        className="bg-sheet"
      >
        {/* A stop opens at its top, however far down the one before was read. */}
        <aside
          key={at}
          aria-label={stop?.label}
          className="relative h-full overflow-x-hidden overflow-y-auto bg-sheet"
        >
          <NoAsset />
          {stop && (
            <Guard name={stop.label} again={at}>
              <stop.Panel />
            </Guard>
          )}
        </aside>
      </Panel>
      <Separator aria-label="Width of the panel" className={`${HANDLE} bg-line`} />
      <Stages />
    </Group>
  );
}

/** Why nothing can be shown, while the asset or the list of them cannot be read. */
function NoAsset() {
  const [assets, asset] = [useAssets(), useAsset()];
  const of = assets.isError ? assets : asset;
  return of.isError && !asset.data ? (
    <Section>
      <Failed of={of} />
    </Section>
  ) : null;
}

function Stages() {
  const stages = useView((s) => s.stages);
  const model = usePanelRef();
  const sheet = usePanelRef();
  useEffect(() => {
    const [shown, other] = stages === "sheet" ? [sheet, model] : [model, sheet];
    shown.current?.expand();
    if (stages === "both") other.current?.expand();
    else other.current?.collapse();
  }, [stages, model, sheet]);
  return (
    <>
      <Panel id="model" panelRef={model} minSize="15%" collapsible>
        <Guard name="The model stage">
          <Model />
        </Guard>
      </Panel>
      <Separator aria-label="Divide the stages" className={`${HANDLE} bg-stage-line`} />
      <Panel id="sheet" panelRef={sheet} minSize="15%" collapsible>
        <Guard name="The sheet stage">
          <Sheet />
        </Guard>
      </Panel>
    </>
  );
}

/** One part of every stop that has it. */
function Each({ part }: { part: "ModelLayers" | "SheetLayers" | "ModelTools" | "Legend" | "Aside" }) {
  return STOPS.map((stop) => {
    const Part = stop[part];
    return Part && <Part key={stop.id} />;
  });
}

/** What a stop shows in place of maps; the stops are always the same, so their hooks are too. */
function usePainting() {
  const uses = STOPS.map((stop: Stop) => stop.usePainting ?? (() => null));
  return uses.map((use) => use()).find((painting) => painting !== null) ?? null;
}

function Model() {
  const painting = usePainting();
  return (
    <ModelStage
      layers={<Each part="ModelLayers" />}
      tools={<Each part="ModelTools" />}
      legend={<Each part="Legend" />}
      painting={painting}
    />
  );
}

function Sheet() {
  const painting = usePainting();
  return (
    <SheetStage layers={<Each part="SheetLayers" />} aside={<Each part="Aside" />} painting={painting} />
  );
}
