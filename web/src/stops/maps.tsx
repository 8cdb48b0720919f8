// Maps: which maps, and the sheet they are baked on.
import { useRecipe } from "../api/queries";
import type { Green, IdSource, MapSettings, SheetSettings } from "../api/types";
import { NumberField } from "../ui/number-field";
import { Row, Section, Segment, StopHead } from "../ui/parts";

const MAPS: { id: MapSettings["map"]; label: string; explains: string; fresh: MapSettings }[] = [
  {
    id: "normal",
    label: "Normal",
    explains: "The sculpt's surface direction, relative to the low-poly.",
    fresh: { map: "normal", y: "+" },
  },
  {
    id: "id",
    label: "ID",
    explains: "One flat colour a region, for picking while texturing.",
    fresh: { map: "id", from: "part" },
  },
  { id: "miss", label: "Miss", explains: "Where rays met no sculpt. For review.", fresh: { map: "miss" } },
];

const ID_SOURCES: readonly (readonly [IdSource, string])[] = [
  ["color", "Vertex colour"],
  ["part", "Sculpt part"],
  ["material", "Sculpt material"],
  ["piece", "Loose piece"],
  ["low-part", "Low-poly part"],
  ["island", "UV island"],
];

const SELECT = "h-6 rounded bg-sunk px-1.5 outline-none focus:ring-1 focus:ring-ember";

export function MapsStop() {
  const [recipe, edit] = useRecipe();
  if (!recipe) return null;
  const toggle = (id: MapSettings["map"]) =>
    edit((r) => {
      const there = r.maps.some((m) => m.map === id);
      if (there && r.maps.length === 1) return r;
      const wanted = MAPS.filter((m) => (m.id === id ? !there : r.maps.some((k) => k.map === m.id)));
      return { ...r, maps: wanted.map((m) => r.maps.find((k) => k.map === m.id) ?? m.fresh) };
    });
  const put = (settings: MapSettings) =>
    edit((r) => ({ ...r, maps: r.maps.map((m) => (m.map === settings.map ? settings : m)) }));
  const sheet = (change: Partial<SheetSettings>) => edit((r) => ({ ...r, sheet: { ...r.sheet, ...change } }));
  const { size, samples, padding, depth } = recipe.sheet;
  return (
    <>
      <StopHead title="Maps">
        What is baked, and the sheet it is baked on. One set of rays serves every map.
      </StopHead>
      <Section title="Maps">
        <ul className="divide-y divide-line">
          {MAPS.map((kind) => {
            const settings = recipe.maps.find((m) => m.map === kind.id);
            return (
              <li key={kind.id} className="py-1.5">
                <label className="flex gap-2">
                  <input
                    type="checkbox"
                    className="mt-0.5 accent-(--ember)"
                    checked={settings !== undefined}
                    onChange={() => toggle(kind.id)}
                  />
                  <span>
                    <b className="block">{kind.label}</b>
                    <span className="text-ink-2">{kind.explains}</span>
                  </span>
                </label>
                {settings && <MapRows settings={settings} onChange={put} />}
              </li>
            );
          })}
        </ul>
      </Section>
      <Section title="Sheet">
        <Row label="Size" hint={`${((size * size) / 1e6).toFixed(1)} million texels a map.`}>
          <select
            aria-label="Size"
            className={`${SELECT} num`}
            value={size}
            onChange={(e) => sheet({ size: Number(e.target.value) })}
          >
            {[...new Set([256, 512, 1024, 2048, 4096, 8192, size])]
              .sort((a, b) => a - b)
              .map((s) => (
                <option key={s} value={s}>
                  {s} x {s}
                </option>
              ))}
          </select>
        </Row>
        <Row
          label="Samples a texel"
          hint={
            samples === 1
              ? "One ray in the middle: quick, jagged at edges."
              : `${samples} rays spread over each texel smooth the edges; takes about ${samples} times as long as one.`
          }
        >
          <Segment
            label="Samples a texel"
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
        <Row
          label="Depth"
          hint={
            depth === "8"
              ? "8 bit steps show on smooth, shiny surfaces."
              : "16 bit: twice the file, no visible steps."
          }
        >
          <Segment
            label="Depth"
            options={[
              ["8", "8 bit"],
              ["16", "16 bit"],
            ]}
            value={depth}
            onChange={(d) => sheet({ depth: d })}
          />
        </Row>
      </Section>
    </>
  );
}

function MapRows({ settings, onChange }: { settings: MapSettings; onChange: (s: MapSettings) => void }) {
  if (settings.map === "normal")
    return (
      <div className="pl-5">
        <Row label="Green points" hint="As your renderer wants it. Wrong, and dents look like bumps.">
          <Segment<Green>
            label="Green points"
            options={[
              ["+", "Y+ up"],
              ["-", "Y- down"],
            ]}
            value={settings.y}
            onChange={(y) => onChange({ ...settings, y })}
          />
        </Row>
      </div>
    );
  if (settings.map === "id")
    return (
      <div className="pl-5">
        <Row label="A region is a">
          <select
            aria-label="A region is a"
            className={SELECT}
            value={settings.from}
            onChange={(e) => onChange({ ...settings, from: e.target.value as IdSource })}
          >
            {ID_SOURCES.map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
        </Row>
      </div>
    );
  return null;
}
