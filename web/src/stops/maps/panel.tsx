// Maps: every map with a small picture of it on this asset, the chosen one's settings beside it, and the sheet they share.

import { useState } from "react";
import { useAsset, useMaps, useRecipe, useSwatches } from "../../api/queries";
import type { MapLine, MapSettings, Swatch } from "../../api/types";
import { Failed } from "../../ui/failed";
import { Section, StopHead } from "../../ui/parts";
import { Box } from "../../ui/tick";
import { NormalMapRow } from "./pictures";
import { MapRows } from "./settings/rows";
import { SheetSection } from "./sheet-settings";

export function MapsStop() {
  const [recipe, edit] = useRecipe();
  const known = useMaps();
  const kinds = (known.data ?? []).filter((line) => !line.kind.named);
  const swatches = useSwatches();
  const asset = useAsset().data;
  const [open, setOpen] = useState<string | null>("normal");
  if (!recipe) return null;
  const toggle = (line: MapLine) =>
    edit((r) => {
      const there = r.maps.some((m) => m.map === line.kind.id);
      if (there && r.maps.length === 1) return r;
      const wanted = kinds.filter((k) =>
        k.kind.id === line.kind.id ? !there : r.maps.some((m) => m.map === k.kind.id),
      );
      // Masks are chosen at Finish.
      const named = r.maps.filter((m) => !kinds.some((k) => k.kind.id === m.map));
      const maps = wanted.map((k) => r.maps.find((m) => m.map === k.kind.id) ?? k.fresh);
      return { ...r, maps: [...maps, ...named] };
    });
  const put = (settings: MapSettings) =>
    edit((r) => ({ ...r, maps: r.maps.map((m) => (m.map === settings.map ? settings : m)) }));
  const parts = (asset?.meshes ?? [])
    .filter((m) => m.role === "high")
    .flatMap((m) => m.summary.parts.map((p) => p.name));
  return (
    <>
      <StopHead title="Maps">
        What is baked, and the sheet it is baked on. One set of rays serves every map.
      </StopHead>
      <Section title="Maps" aside={<Waiting swatches={swatches} />}>
        <Failed of={known} />
        <ul className="-mx-1">
          {kinds.map((line) => {
            const settings = recipe.maps.find((m) => m.map === line.kind.id);
            return (
              <MapItem
                key={line.kind.id}
                line={line}
                swatch={swatches.data?.find((s) => s.map === line.kind.id)}
                chosen={settings !== undefined}
                open={open === line.kind.id}
                onToggle={() => toggle(line)}
                onOpen={() => setOpen(open === line.kind.id ? null : line.kind.id)}
              >
                {settings && <MapRows settings={settings} parts={parts} onChange={put} />}
              </MapItem>
            );
          })}
        </ul>
      </Section>
      <SheetSection />
      <NormalMapRow />
    </>
  );
}

function Waiting({ swatches }: { swatches: ReturnType<typeof useSwatches> }) {
  if (swatches.isFetching) return <span className="text-xs text-ink-3">Updating previews</span>;
  return swatches.error ? <span className="text-xs text-ink-3">{swatches.error.message}</span> : null;
}

function MapItem(props: {
  line: MapLine;
  swatch: Swatch | undefined;
  chosen: boolean;
  open: boolean;
  onToggle: () => void;
  onOpen: () => void;
  children: React.ReactNode;
}) {
  const { line, swatch, chosen, open } = props;
  return (
    <li className={`rounded px-1 py-0.5 ${open ? "bg-sunk/60" : ""}`}>
      <div className="flex items-start gap-2">
        <button
          type="button"
          aria-label={`${line.kind.label}: ${open ? "hide" : "show"} settings`}
          aria-expanded={open}
          onClick={props.onOpen}
          className="grid size-9 shrink-0 place-items-center overflow-hidden rounded-[3px] bg-stage"
        >
          {swatch?.picture ? (
            <img src={swatch.picture} alt="" className="size-full [image-rendering:pixelated]" />
          ) : (
            <span className="text-[10px] text-on-stage">{swatch?.error ? "none" : ""}</span>
          )}
        </button>
        {/* biome-ignore lint/a11y/noLabelWithoutControl: the box inside is the control */}
        <label className="flex min-w-0 grow cursor-pointer gap-2">
          <span className="min-w-0 grow">
            <b className="block">{line.kind.label}</b>
            <span className={`block text-xs text-ink-2 ${open ? "" : "truncate"}`}>
              {swatch?.error && chosen ? swatch.error : line.kind.explains}
            </span>
          </span>
          <Box label={line.kind.label} checked={chosen} onChange={props.onToggle} />
        </label>
      </div>
      {open && (
        <div className="pt-1 pl-[44px]">
          {chosen ? (
            props.children
          ) : (
            <p className="text-xs text-ink-3">
              {swatch?.error ? `Cannot be made: ${swatch.error}.` : "Select it to bake it."}
            </p>
          )}
        </div>
      )}
    </li>
  );
}
