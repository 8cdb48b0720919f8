// UVs of the low-poly, mended beside the map: seams, unwrapping, relaxing, pins, islands moved and packed, each a step of its file.
import { useState } from "react";
import { lowPolyUrl } from "../../../api/client";
import { useAsset } from "../../../api/queries";
import { Failed } from "../../../ui/failed";
import { NumberField } from "../../../ui/number-field";
import { FileLink, Row, Section } from "../../../ui/parts";
import { Tick } from "../../../ui/tick";
import { ToolRow } from "../../../ui/tool-row";
import { Do } from "./do";
import { useUvState } from "./edit";
import { Falling } from "./falling";
import { Figures } from "./figures";
import { IslandTools } from "./selection";
import { putDown, setUvs, type UvHand, useUvs } from "./state";

const HANDS: readonly (readonly [UvHand, string, string])[] = [
  [
    "seams",
    "Seams",
    "Click an edge to mark or clear a seam; Shift-click marks the path from the last click; Alt-click stitches two islands",
  ],
  ["islands", "Islands", "Click islands to select them, Shift-click adds one; drag them on the sheet"],
  ["pins", "Pins", "Click a point to hold it on the sheet, and again to let go"],
  ["rows", "Rows", "Click a point, then Shift-click another: the edges between them are straightened"],
];

const HINTS: Record<UvHand, string> = {
  seams:
    "Click an edge, on the model or the sheet, to mark or clear a seam; it is cut or joined when you unwrap. Shift-click marks the path from the last click. Alt-click stitches two islands.",
  islands:
    "Click an island to select it; Shift-click adds another. Drag islands on the sheet to move them, a corner to scale, the knob to turn; Shift keeps to an axis or to steps of 15°, Esc cancels. Alt-drag moves the sheet.",
  pins: "Click a point to pin it: it stays where it is on the sheet when you relax or unwrap. Click again to release it.",
  rows: "Click a point, then Shift-click another on the same island. The edges between them become straight and the island follows.",
};

export function UvSection() {
  const asset = useAsset().data;
  const state = useUvState();
  const { hand, busy } = useUvs();
  if (asset?.recipe.low.length !== 1 || asset.recipe.low[0]?.plane) return null;
  const take = (next: UvHand | null) => {
    if (next === null) putDown();
    else setUvs({ hand: next, chosen: [], from: null });
  };
  return (
    <Section title="UVs" aside={<span className="text-xs text-ink-3">{busy ? "working…" : "as steps"}</span>}>
      <ToolRow label="UV tool" tools={HANDS} taken={hand} onTake={take} />
      {hand && <p className="mt-1 text-xs text-ink-3">{HINTS[hand]}</p>}
      {hand === "seams" && <SeamTools />}
      {state.data?.summary && <Figures before={state.data.before ?? null} after={state.data.summary} />}
      <Failed of={state} className="mt-2" />
      <Falling />
      <Shape />
      <Pack />
      {hand === "islands" && <IslandTools />}
      <Export id={asset.id} />
    </Section>
  );
}

/** The low-poly with its UVs, as files. */
function Export({ id }: { id: number }) {
  return (
    <Row label="Export the low-poly" hint="With its UVs as they are now.">
      <FileLink href={lowPolyUrl(id, "glb")}>GLB</FileLink>
      <FileLink href={lowPolyUrl(id, "obj")}>OBJ</FileLink>
    </Row>
  );
}

function SeamTools() {
  const sharpest = useUvs((s) => s.sharpest);
  const [degrees, setDegrees] = useState(60);
  return (
    <div className="mt-1.5">
      <Tick checked={sharpest} onChange={(on) => setUvs({ sharpest: on })}>
        Paths follow sharp edges
      </Tick>
      <Row label="Sharper than">
        <Do order={{ edit: "sharp-seams", degrees }}>Mark</Do>
        <NumberField
          label="Edges sharper than"
          value={degrees}
          unit="°"
          min={1}
          max={180}
          step={1}
          onChange={setDegrees}
        />
      </Row>
    </div>
  );
}

/** Unwrap and relax, what is chosen or all. */
function Shape() {
  const triangles = [...useUvs((s) => s.chosen)];
  const [angle, setAngle] = useState(60);
  const whose = triangles.length > 0 ? "selected" : "all";
  return (
    <div className="mt-1.5">
      <div className="flex gap-1">
        <Do order={{ edit: "unwrap", triangles, angle: null }}>{`Unwrap ${whose}`}</Do>
        <Do order={{ edit: "relax", triangles }}>{`Relax ${whose}`}</Do>
      </div>
      <Row
        label="New seams from"
        hint="Cuts at edges sharper than this, and wherever an island would stretch too much."
      >
        <Do order={{ edit: "unwrap", triangles, angle }}>Unwrap</Do>
        <NumberField
          label="New seams at edges sharper than"
          value={angle}
          unit="°"
          min={1}
          max={180}
          step={1}
          onChange={setAngle}
        />
      </Row>
    </div>
  );
}

function Pack() {
  const size = useAsset().data?.recipe.sheet.size ?? 1024;
  const [margin, setMargin] = useState<number | null>(null);
  const [keep, setKeep] = useState(false);
  const texels = margin ?? Math.max(1, Math.round(size / 128));
  return (
    <>
      <Row
        label="Margin, texels"
        hint={`At ${size} px; the same to the border. Stacked islands stay stacked.`}
      >
        <Do order={{ edit: "pack", margin: texels, upright: false, keep_density: keep }}>Pack</Do>
        <NumberField
          label="Texels between islands"
          value={texels}
          min={0}
          max={size / 4}
          step={1}
          onChange={setMargin}
        />
      </Row>
      <Tick checked={keep} onChange={setKeep}>
        Keep the relative sizes of islands
      </Tick>
    </>
  );
}
