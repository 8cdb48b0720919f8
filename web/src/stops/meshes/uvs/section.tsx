// UVs of the low-poly, mended beside the map: seams, unwrapping, relaxing, pins, islands moved and packed, each a step of its file.
import { useState } from "react";
import { useAsset, useUvReport } from "../../../api/queries";
import type { Axis, UvOrder, UvSummary } from "../../../api/types";
import { show } from "../../../stages/view";
import { Failed } from "../../../ui/failed";
import { Fold } from "../../../ui/fold";
import { NumberField } from "../../../ui/number-field";
import { Button, Row, Section } from "../../../ui/parts";
import { Tick } from "../../../ui/tick";
import { ToolRow } from "../../../ui/tool-row";
import { useMeshes } from "../state";
import { useUvEdit, useUvState } from "./edit";
import { putDown, setUvs, type UvHand, useUvs } from "./state";

const HANDS: readonly (readonly [UvHand, string, string])[] = [
  [
    "seams",
    "Seams",
    "Click an edge to mark or clear a seam; Shift-click marks the path from the last click; Alt-click stitches two islands",
  ],
  ["islands", "Islands", "Click islands to select them; Shift-click adds one"],
  ["pins", "Pins", "Click a point to hold it on the sheet, and again to let go"],
  ["rows", "Rows", "Click a point, then Shift-click another: the edges between them are straightened"],
];

const HINTS: Record<UvHand, string> = {
  seams:
    "Click an edge, on the model or the sheet, to mark or clear a seam; it is cut or joined when you unwrap. Shift-click marks the path from the last click. Alt-click stitches two islands.",
  islands:
    "Click an island to select it; Shift-click adds another. The buttons below then work on the selection.",
  pins: "Click a point to pin it: it stays where it is on the sheet when you relax or unwrap. Click again to release it.",
  rows: "Click a point, then Shift-click another on the same island. The edges between them become straight and the island follows.",
};

export function UvSection() {
  const asset = useAsset().data;
  const state = useUvState();
  const { hand, busy } = useUvs();
  if (asset?.recipe.low.length !== 1 || asset.recipe.low[0]?.plane) return null;
  const take = (next: UvHand | null) => {
    if (next !== "islands") show({ lit: null });
    if (next === null) putDown();
    else setUvs({ hand: next, chosen: [], from: null });
  };
  return (
    <Section title="UVs" aside={<span className="text-xs text-ink-3">{busy ? "working…" : "as steps"}</span>}>
      <ToolRow label="UV tool" tools={HANDS} taken={hand} onTake={take} />
      {hand && <p className="mt-1 text-xs text-ink-3">{HINTS[hand]}</p>}
      {hand === "seams" && <SeamTools />}
      <Shape />
      <Pack />
      {hand === "islands" && <IslandTools />}
      {state.data?.summary && <Figures before={state.data.before ?? null} after={state.data.summary} />}
      <Failed of={state} className="mt-2" />
    </Section>
  );
}

/** A button for one edit. */
function Do({ order, children }: { order: UvOrder; children: string }) {
  const edit = useUvEdit();
  const busy = useUvs((s) => s.busy);
  return (
    <Button className="grow" disabled={busy} onClick={() => void edit(order)}>
      {children}
    </Button>
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

const AXES: readonly Axis[] = ["x", "y", "z"];

/** What is done to chosen islands, scaled, turned and moved. */
function IslandTools() {
  const triangles = [...useUvs((s) => s.chosen)];
  const report = useUvReport().data;
  const target = useMeshes((s) => s.target);
  const [scale, setScale] = useState(1.25);
  const [turn, setTurn] = useState(90);
  const [step, setStep] = useState(0.05);
  const [within, setWithin] = useState<number | null>(null);
  const none = triangles.length === 0;
  const moved = (change: Partial<Extract<UvOrder, { edit: "move" }>>): UvOrder => ({
    edit: "move",
    triangles,
    scale: [1, 1],
    turn: 0,
    by: [0, 0],
    within,
    ...change,
  });
  if (none) return <Stack />;
  const texels = target ?? (report ? report.median_density * report.size : 1);
  return (
    <Fold title="Transform the selection" startsOpen>
      <Row label="Scale">
        <Do order={moved({ scale: [scale, scale] })}>Scale</Do>
        <NumberField
          label="Scale by"
          value={scale}
          unit="x"
          min={0.01}
          max={100}
          step={0.05}
          digits={2}
          onChange={setScale}
        />
      </Row>
      <Row label="Turn">
        <Do order={moved({ turn })}>Turn</Do>
        <NumberField
          label="Turn by"
          value={turn}
          unit="°"
          min={-180}
          max={180}
          step={15}
          onChange={setTurn}
        />
      </Row>
      <Row label="Move, UV units">
        <NumberField
          label="Move by"
          value={step}
          min={0.001}
          max={1}
          step={0.01}
          digits={3}
          onChange={setStep}
        />
      </Row>
      <div className="mt-1 flex gap-1">
        <Do order={moved({ by: [-step, 0] })}>Left</Do>
        <Do order={moved({ by: [step, 0] })}>Right</Do>
        <Do order={moved({ by: [0, -step] })}>Down</Do>
        <Do order={moved({ by: [0, step] })}>Up</Do>
        <Do order={moved({ scale: [-1, 1], within: null })}>Flip</Do>
      </div>
      <Row label="Density" hint="The target set under Layout, texels per scene unit.">
        <Do order={{ edit: "density", triangles, texels }}>{`To ${texels.toFixed(texels < 100 ? 1 : 0)}`}</Do>
      </Row>
      <Soft within={within} onChange={setWithin} />
      <Stack />
    </Fold>
  );
}

/** Only what lies near the click, less and less towards the radius. */
function Soft(props: { within: number | null; onChange: (within: number | null) => void }) {
  const mesh = useAsset().data?.meshes.find((m) => m.role === "low");
  const size = mesh
    ? Math.hypot(...mesh.summary.low_corner.map((low, i) => (mesh.summary.high_corner[i] ?? low) - low))
    : 1;
  const digits = Math.max(0, 3 - Math.floor(Math.log10(size)));
  return (
    <>
      <Tick
        checked={props.within !== null}
        onChange={(on) => props.onChange(on ? Number((size / 8).toFixed(digits)) : null)}
      >
        Soft, around the click
      </Tick>
      {props.within !== null && (
        <Row
          label="Within"
          hint="Falls off to nothing at this distance along the surface, in scene units. It stops short of flipping a face."
        >
          <NumberField
            label="Within"
            value={props.within}
            min={10 ** -digits}
            max={size}
            step={size / 100}
            digits={digits}
            onChange={props.onChange}
          />
        </Row>
      )}
    </>
  );
}

/** Mirror images stacked. */
function Stack() {
  return (
    <Row label="Stack mirror images" hint="Islands that mirror each other across this axis share texels.">
      {AXES.map((axis) => (
        <Do key={axis} order={{ edit: "stack", axis }}>
          {axis.toUpperCase()}
        </Do>
      ))}
    </Row>
  );
}

function Figures({ before, after }: { before: UvSummary | null; after: UvSummary }) {
  const energy = (s: UvSummary) => (s.energy == null ? "a face is flipped" : s.energy.toFixed(4));
  const percent = (s: UvSummary) => `${(100 * s.covered).toFixed(1)} %`;
  const rows: readonly (readonly [string, (s: UvSummary) => string])[] = [
    ["Islands", (s) => String(s.islands)],
    ["Stretch energy (4 is none)", energy],
    ["Worst island", (s) => (s.worst_energy == null ? "–" : s.worst_energy.toFixed(4))],
    ["Flipped faces", (s) => String(s.flipped)],
    ["Sheet covered", percent],
  ];
  return (
    <table aria-label="UVs in figures" className="mt-2 w-full">
      <thead>
        <tr className="text-xs text-ink-3">
          <th className="text-left font-normal">Layout</th>
          {before && <th className="text-right font-normal">file</th>}
          <th className="text-right font-normal">now</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([label, of]) => (
          <tr key={label}>
            <th scope="row" className="text-left font-normal text-ink-2">
              {label}
            </th>
            {before && <td className="num text-right text-ink-3">{of(before)}</td>}
            <td className="num text-right">{of(after)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
