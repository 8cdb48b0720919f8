// The sheet: its size, samples, padding, depth and format, and what they will cost by the last run's measured rates.
import { useAsset, useRecipe } from "../api/queries";
import type { Depth, ImageFormat, Layout, SheetSettings } from "../api/types";
import { Choice } from "../ui/choice";
import { NumberField } from "../ui/number-field";
import { bytes, Row, Section, Segment, seconds } from "../ui/parts";

const DEPTHS: Record<ImageFormat, Depth[]> = {
  png: ["8", "16"],
  tiff: ["8", "16", "32f"],
  exr: ["16", "32f"],
  tga: ["8"],
  jpeg: ["8"],
};
const DEPTH_HINT: Record<Depth, string> = {
  "8": "8 bit steps show on smooth, shiny surfaces.",
  "16": "Twice the file, no visible steps.",
  "32f": "Floats: displacement holds the height itself, in scene units.",
};

function Cost() {
  const estimates = useAsset().data?.estimates;
  if (!estimates)
    return <p className="pb-1 text-xs text-ink-3">After a first bake, this says what a bake will take.</p>;
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
        By the rates of the last run; texels in memory, beyond 256 MB on the disk.
      </dd>
    </dl>
  );
}

export function SheetSection() {
  const [recipe, edit] = useRecipe();
  if (!recipe) return null;
  const sheet = (change: Partial<SheetSettings>) => edit((r) => ({ ...r, sheet: { ...r.sheet, ...change } }));
  const { size, samples, padding, depth, format, color_format, dither, layout } = recipe.sheet;
  const sizes = [...new Set([256, 512, 1024, 2048, 4096, 8192, 16384, size])].sort((a, b) => a - b);
  const color = recipe.maps.some((m) => m.map === "color");
  return (
    <Section title="Sheet">
      <Cost />
      <Choice
        label="Size"
        hint={`${((size * size) / 1e6).toFixed(1)} million texels a map.`}
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
          options={[
            ["1", "1"],
            ["4", "4"],
            ["16", "16"],
            ["64", "64"],
          ]}
          value={String(samples) as "1" | "4" | "16" | "64"}
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
        <Segment<"png" | "tiff" | "exr">
          label="Format"
          options={[
            ["png", "PNG"],
            ["tiff", "TIFF"],
            ["exr", "EXR"],
          ]}
          value={format as "png" | "tiff" | "exr"}
          onChange={(f) =>
            sheet({ format: f, depth: DEPTHS[f].includes(depth) ? depth : (DEPTHS[f][0] ?? depth) })
          }
        />
      </Row>
      <Row label="Depth" hint={DEPTH_HINT[depth]}>
        <Segment<Depth>
          label="Depth"
          options={DEPTHS[format].map(
            (d) => [d, d === "32f" ? "32 float" : format === "exr" ? "16 half" : `${d} bit`] as const,
          )}
          value={depth}
          onChange={(d) => sheet({ depth: d })}
        />
      </Row>
      {depth === "8" && (
        <label className="flex items-center gap-1.5 py-1 text-ink-2">
          <input
            type="checkbox"
            className="accent-(--ember)"
            checked={dither}
            onChange={(e) => sheet({ dither: e.target.checked })}
          />
          Dither, so that slow gradients show no steps
        </label>
      )}
      {color && (
        <Choice<ImageFormat | "same">
          label="Colour map as"
          value={color_format ?? "same"}
          options={[
            ["same", "As the others"],
            ["png", "PNG"],
            ["tga", "TGA"],
            ["jpeg", "JPEG"],
          ]}
          onChange={(v) => sheet({ color_format: v === "same" ? null : v })}
        />
      )}
      <Choice<Layout>
        label="Sheets"
        hint={layout === "one" ? undefined : "One file a map and sheet; one scale of displacement for all."}
        value={layout}
        options={[
          ["one", "One"],
          ["materials", "One a material"],
          ["udim", "UDIM tiles"],
        ]}
        onChange={(v) => sheet({ layout: v })}
      />
    </Section>
  );
}
