// The low-poly's layout on the sheet: ways to look at it, its figures, islands by how far off they are, room at each mip level.

import { useState } from "react";
import { useAsset, useRecipe, useUvReport } from "../../../api/queries";
import type { IslandLine, UvReport } from "../../../api/types";
import { Failed } from "../../../ui/failed";
import { NumberField } from "../../../ui/number-field";
import { LinkButton, Row, Section } from "../../../ui/parts";
import { Tick } from "../../../ui/tick";
import { showPlace } from "../../findings/finding-card";
import { setMeshes, useMeshes } from "../state";
import { useUvState } from "../uvs/edit";
import { COMPARED_LOOKS, type LayoutLook, looksFor } from "./looks";

const percent = (share: number) => `${(share * 100).toFixed(1)} %`;

export function LayoutSection() {
  const asset = useAsset().data;
  const report = useUvReport();
  const layout = useMeshes((s) => s.layout);
  if (!asset || asset.recipe.low.length === 0) return null;
  return (
    <Section title="Layout" aside={<span className="text-xs text-ink-3">of the low-poly</span>}>
      <fieldset className="flex flex-wrap gap-1" aria-label="Look at the layout">
        {looksFor(asset.meshes.some((mesh) => mesh.role === "high")).map(([look, label]) => (
          <LookButton
            key={look}
            label={label}
            on={layout === look}
            onChange={(on) => setMeshes({ layout: on ? look : (null as LayoutLook | null) })}
          />
        ))}
      </fieldset>
      <WithFile layout={layout} />
      {report.data && <Figures report={report.data} />}
      {report.data === null && <p className="mt-2 text-ink-3">It has no UVs, so there is no layout yet.</p>}
      <Failed of={report} className="mt-2" />
    </Section>
  );
}

/** The layout as the file has it, beside the one that its steps have made. */
function WithFile({ layout }: { layout: LayoutLook | null }) {
  const compared = useMeshes((s) => s.compared);
  const edited = useUvState().data?.before != null;
  if (!edited || layout === null || !COMPARED_LOOKS.includes(layout)) return null;
  return (
    <Tick checked={compared} onChange={(on) => setMeshes({ compared: on })}>
      Compare with the file's own layout
    </Tick>
  );
}

function LookButton(props: { label: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <button
      type="button"
      aria-pressed={props.on}
      onClick={() => props.onChange(!props.on)}
      className={`h-6 rounded border px-2 ${props.on ? "border-ink bg-ink text-sheet" : "border-line hover:bg-sunk"}`}
    >
      {props.label}
    </button>
  );
}

function Figures({ report }: { report: UvReport }) {
  const target = useMeshes((s) => s.target);
  const [recipe] = useRecipe();
  const median = report.median_density * report.size;
  return (
    <>
      <div className="mt-2">
        <Row
          label="Target"
          hint={
            target === null
              ? "Texels per scene unit. The median, unless you set one."
              : "Texels per scene unit to aim for. Reset to use the median."
          }
        >
          {target !== null && <LinkButton onClick={() => setMeshes({ target: null })}>median</LinkButton>}
          <NumberField
            label="Target density"
            value={target ?? median}
            min={1e-3}
            max={1e6}
            step={Math.max(0.001, median / 200)}
            digits={median >= 100 ? 0 : 2}
            onChange={(v) => setMeshes({ target: v })}
          />
        </Row>
      </div>
      <dl className="grid grid-cols-[1fr_auto] gap-y-0.5">
        <dt className="text-ink-2">Median, texels per unit at {report.size} px</dt>
        <dd className="num text-right">{median.toFixed(1)}</dd>
        <dt className="text-ink-2">Finest / coarsest island</dt>
        <dd className="num text-right">{report.spread.toFixed(2)} x</dd>
        <dt className="text-ink-2">Unused share of the square</dt>
        <dd className="num text-right">{percent(report.unused)}</dd>
        <dt className="text-ink-2">Overlapping</dt>
        <dd className="num text-right">{percent(report.overlapping)}</dd>
      </dl>
      <Islands report={report} target={target ?? median} />
      <Mips report={report} padding={recipe?.sheet.padding ?? 16} />
    </>
  );
}

const SHOWN = 8;

function Islands({ report, target }: { report: UvReport; target: number }) {
  const [all, setAll] = useState(false);
  const times = (i: IslandLine) => (i.density * report.size) / Math.max(1e-9, target);
  const off = (i: IslandLine) => Math.abs(Math.log2(Math.max(1e-6, times(i))));
  const sorted = [...report.islands].sort((a, b) => off(b) - off(a));
  return (
    <div className="mt-2">
      <h3 className="flex justify-between text-ink-2">
        <span>{report.islands.length} islands, furthest off the target first</span>
        <span className="text-xs text-ink-3">texels per unit</span>
      </h3>
      <ul aria-label="Islands">
        {sorted.slice(0, all ? 200 : SHOWN).map((i) => (
          <li key={i.number}>
            <button
              type="button"
              className="flex h-6 w-full items-center gap-2 rounded px-1 text-left hover:bg-sunk"
              onClick={() =>
                showPlace(
                  {
                    kind: "density-spread",
                    severity: "note",
                    reason: "",
                    remedy: "",
                    place: {
                      file: null,
                      part: i.part,
                      triangles: [],
                      count: 0,
                      point: i.point,
                      uv: [(i.low[0] + i.high[0]) / 2, (i.low[1] + i.high[1]) / 2],
                    },
                  },
                  true,
                )
              }
            >
              <span className="num w-7 shrink-0 text-right text-ink-3">{i.number}</span>
              <span className="min-w-0 grow truncate">
                {i.part}
                {i.mirrored ? ", mirrored" : ""}
              </span>
              <span className="num">{(i.density * report.size).toFixed(1)}</span>
              <span className="num w-14 text-right text-ink-3">{times(i).toFixed(2)} x</span>
            </button>
          </li>
        ))}
      </ul>
      {report.islands.length > SHOWN && (
        <LinkButton onClick={() => setAll(!all)}>
          {all ? "fewer" : `All ${Math.min(200, report.islands.length)}`}
        </LinkButton>
      )}
    </div>
  );
}

function Mips({ report, padding }: { report: UvReport; padding: number | "all" }) {
  return (
    <table className="mt-2 w-full">
      <caption className="text-left text-ink-2">
        Room between islands{" "}
        <span className="text-ink-3">
          (padding {padding === "all" ? "fills all" : `${padding} texels`}; under 2 they mix)
        </span>
      </caption>
      <thead>
        <tr className="text-ink-3">
          <th className="text-left font-normal">Drawn at</th>
          <th className="text-right font-normal">narrowest</th>
          <th className="text-right font-normal">islands that mix</th>
        </tr>
      </thead>
      <tbody className="num">
        {report.mips.map((m) => (
          <tr key={m.level}>
            <td>{m.size} px</td>
            <td className="text-right">{m.narrowest === null ? "wide" : m.narrowest.toFixed(1)}</td>
            <td className={`text-right ${m.mixing > 0 ? "font-semibold text-madder" : ""}`}>
              {m.mixing > 0 ? `${m.mixing} of ${report.islands.length}` : "none"}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
