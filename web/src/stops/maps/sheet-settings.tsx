// The sheet: its size, samples, padding, depth and format, and what they will cost by the last run's measured rates.
import { useAsset, useChoices, useRecipe } from "../../api/queries";
import type { Depth, ImageFormat, Layout, SheetSettings } from "../../api/types";
import { Choice } from "../../ui/choice";
import { depthLabel } from "../../ui/depth";
import { Failed } from "../../ui/failed";
import { NumberField } from "../../ui/number-field";
import { bytes, Row, Section, Segment, seconds } from "../../ui/parts";
import { Tick } from "../../ui/tick";

const DEPTH_HINT: Record<Depth, string> = {
  "8": "8-bit steps show on smooth, shiny surfaces.",
  "16": "Twice the file size, no visible steps.",
  "32f": "Floats: displacement holds the height itself, in scene units.",
};

function Cost() {
  const estimates = useAsset().data?.estimates;
  if (!estimates)
    return <p className="pb-1 text-xs text-ink-3">Time and memory are estimated after the first bake.</p>;
  const line = (name: string, e: { seconds: number; bytes: number }) => (
    <>
      <dt>{name}</dt>
      <dd className="num">about {seconds(e.seconds)}</dd>
      <dd className="num text-right">{bytes(e.bytes)}</dd>
    </>
  );
  return (
    <dl
      aria-label="What a bake will take"
      className="mb-1 grid grid-cols-[auto_1fr_auto] gap-x-3 rounded bg-sunk px-2 py-1.5 text-ink-2"
    >
      {line("Proof", estimates.proof)}
      {line("Final", estimates.whole)}
      <dd className="col-span-3 text-xs text-ink-3">
        Estimated from the last run. Texels are held in memory, beyond 256 MB on disk.
      </dd>
    </dl>
  );
}

export function SheetSection() {
  const [recipe, edit] = useRecipe();
  const known = useChoices();
  const choices = known.data;
  if (!recipe) return null;
  const sheet = (change: Partial<SheetSettings>) => edit((r) => ({ ...r, sheet: { ...r.sheet, ...change } }));
  const { size, samples, padding, depth, format, color_format, dither, layout } = recipe.sheet;
  const sizes = [...new Set([256, 512, 1024, 2048, 4096, 8192, 16384, size])].sort((a, b) => a - b);
  const depthsOf = (f: ImageFormat) => choices?.formats.find((line) => line.format === f)?.depths ?? [depth];
  const color = recipe.maps.some((m) => m.map === "color");
  return (
    <Section title="Sheet">
      <Cost />
      <Failed of={known} />
      <Choice
        label="Size"
        hint={`${((size * size) / 1e6).toFixed(1)} million texels per map.`}
        value={String(size)}
        options={sizes.map((s) => [String(s), `${s} x ${s}`] as const)}
        onChange={(v) => sheet({ size: Number(v) })}
      />
      <Row
        label="Samples per texel"
        hint={
          samples === 1
            ? "One ray in the middle: quick, jagged at edges."
            : `${samples} rays spread over each texel smooth the edges.`
        }
      >
        <Segment
          label="Samples per texel"
          options={(choices?.samples ?? [samples]).map((n) => [String(n), String(n)] as const)}
          value={String(samples)}
          onChange={(v) => sheet({ samples: Number(v) })}
        />
      </Row>
      <Row
        label="Padding"
        hint="Texels spread around islands, so that no dark seam shows when the map is made smaller."
      >
        {padding !== "all" && (
          <NumberField
            label="Padding"
            unit="px"
            value={padding}
            min={0}
            max={512}
            step={1}
            onChange={(n) => sheet({ padding: n })}
          />
        )}
        <Segment
          label="Padding kind"
          options={[
            ["some", "Some"],
            ["all", "Fill all"],
          ]}
          value={padding === "all" ? "all" : "some"}
          onChange={(v) => sheet({ padding: v === "all" ? "all" : 16 })}
        />
      </Row>
      <Row label="Format">
        <Segment<ImageFormat>
          label="Format"
          options={
            choices?.formats.filter((f) => !f.color_only).map((f) => [f.format, f.label] as const) ?? []
          }
          value={format}
          onChange={(f) =>
            sheet({ format: f, depth: depthsOf(f).includes(depth) ? depth : (depthsOf(f)[0] ?? depth) })
          }
        />
      </Row>
      <Row label="Depth" hint={DEPTH_HINT[depth]}>
        <Segment<Depth>
          label="Depth"
          options={depthsOf(format).map((d) => [d, depthLabel(format, d)] as const)}
          value={depth}
          onChange={(d) => sheet({ depth: d })}
        />
      </Row>
      {depth === "8" && (
        <Tick checked={dither} onChange={(on) => sheet({ dither: on })}>
          Dither to hide steps in slow gradients
        </Tick>
      )}
      {color && (
        <Choice<ImageFormat | "same">
          label="Colour map format"
          value={color_format ?? "same"}
          options={[
            ["same", "Same as others"],
            ["png", "PNG"],
            ["tga", "TGA"],
            ["jpeg", "JPEG"],
          ]}
          onChange={(v) => sheet({ color_format: v === "same" ? null : v })}
        />
      )}
      <Choice<Layout>
        label="Sheets"
        hint={layout === "one" ? undefined : "One file per map and sheet; one scale of displacement for all."}
        value={layout}
        options={[
          ["one", "One"],
          ["materials", "One per material"],
          ["udim", "UDIM tiles"],
        ]}
        onChange={(v) => sheet({ layout: v })}
      />
    </Section>
  );
}
