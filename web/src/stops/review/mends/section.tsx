// Mends at Review: the tool in hand and what it does, on which maps; what was mended, hidden or shown.
import { Eye, EyeOff, Undo2 } from "lucide-react";
import { useMapLabels, useMaps, useRecipe, useShownRun } from "../../../api/queries";
import type { Mend, MendTool, Recipe } from "../../../api/types";
import { useShownPicture } from "../../../stages/sheet/shown";
import { ColorField } from "../../../ui/color-field";
import { NumberField } from "../../../ui/number-field";
import { Button, IconButton, Row, Section } from "../../../ui/parts";
import { Tick } from "../../../ui/tick";
import { ToolRow } from "../../../ui/tool-row";
import { BrushStrength } from "../../brush-rows";
import { fine, useDiagonal } from "../../finish/edit";
import { setMend, toggleBefore, useMendHand } from "./state";

const TOOLS: readonly (readonly [MendTool, string, string])[] = [
  ["clone", "Clone", "Copies what lies elsewhere on the surface."],
  ["smudge", "Smudge", "Drags what lies there along the stroke."],
  ["smooth", "Smooth", "Evens out what lies there, within a quarter of the brush."],
  ["set", "Set", "Sets a value; normals become those of the low-poly."],
];

export function MendsSection() {
  const run = useShownRun();
  const [recipe] = useRecipe();
  const { tool, strength, before } = useMendHand();
  const diagonal = useDiagonal();
  const { digits, step } = fine(diagonal);
  const size = useMendHand((s) => s.size) ?? diagonal * 0.02;
  if (!run?.report || !recipe) return null;
  const count = recipe.mends?.strokes.length ?? 0;
  return (
    <Section
      title="Mends"
      aside={
        tool && (
          <Button look="quiet" onClick={() => setMend({ tool: null })}>
            Put down
          </Button>
        )
      }
    >
      <ToolRow
        label="Tool for mends"
        tools={TOOLS}
        taken={tool}
        onTake={(taken) => setMend({ tool: taken, before: false })}
      />
      <Hint tool={tool} />
      {tool && (
        <>
          <Row
            label="Size"
            hint={`${((100 * size) / diagonal).toFixed(1)} % of the asset, along the surface.`}
          >
            <NumberField
              label="Size of the brush for mends"
              unit="u"
              value={size}
              min={step}
              max={diagonal / 2}
              step={step * 2}
              digits={digits}
              onChange={(v) => setMend({ size: v })}
            />
          </Row>
          <BrushStrength value={strength} onChange={(v) => setMend({ strength: v })} />
          <OnMaps />
          {tool === "set" && <Value recipe={recipe} />}
        </>
      )}
      {count > 0 && <Made recipe={recipe} before={before} />}
    </Section>
  );
}

function Hint({ tool }: { tool: MendTool | null }) {
  const from = useMendHand((s) => s.from);
  const words = TOOLS.find(([id]) => id === tool)?.[2];
  const how =
    tool === "clone"
      ? from
        ? "Alt-click chooses another source."
        : "Click the source first, on the model or the sheet."
      : tool
        ? "Drag over the model or the sheet."
        : "Touch up the maps; strokes are kept apart from them and drawn again onto every later bake.";
  return (
    <p className="mt-1 text-xs text-ink-3">
      {words} {how}
    </p>
  );
}

/** Which maps strokes change: the one on screen, or several at once. */
function OnMaps() {
  const maps = useMendHand((s) => s.maps);
  const shown = useShownPicture().map ?? "";
  const label = useMapLabels();
  const run = useShownRun();
  const keys = Object.entries(run?.report?.maps ?? {}).flatMap(([key, map]) => (map.error ? [] : [key]));
  const turn = (key: string, on: boolean) => {
    const now = new Set(maps ?? [shown]);
    if (on) now.add(key);
    else now.delete(key);
    setMend({ maps: now.size === 0 ? null : now });
  };
  return (
    <div className="py-0.5">
      <Tick checked={maps === null} onChange={(on) => setMend({ maps: on ? null : new Set([shown]) })}>
        Only the map on screen
      </Tick>
      {maps !== null && (
        <div role="group" aria-label="Maps to mend" className="grid grid-cols-2 gap-x-2 pl-4">
          {keys.map((key) => (
            <Tick key={key} checked={maps.has(key)} onChange={(on) => turn(key, on)}>
              {label(key)}
            </Tick>
          ))}
        </div>
      )}
    </div>
  );
}

/** What Set sets, as the maps in hand need it. */
function Value({ recipe }: { recipe: Recipe }) {
  const { maps, value, color } = useMendHand();
  const shown = useShownPicture().map ?? "";
  const kinds = useMaps().data ?? [];
  const run = useShownRun();
  const own = [...(maps ?? [shown])];
  const kindOf = (key: string) => kinds.find(({ kind }) => kind.id === key.split(":")[0])?.kind;
  const colors = own.some((key) => kindOf(key)?.color || kindOf(key)?.flat);
  const reads = own
    .map((key) => run?.report?.maps[key]?.reads)
    .filter((r) => r?.as === "number" || r?.as === "height");
  const unit =
    reads[0]?.as === "height" ? "u" : reads[0]?.as === "number" && reads[0].unit !== "share" ? "/u" : "";
  const wide = unit === "" ? 1 : 1000;
  const palette = own.flatMap((key) => run?.report?.maps[key]?.palette ?? []);
  return (
    <>
      {reads.length > 0 && (
        <Row label="Value" hint={unit === "" ? "Share, 0 to 1." : undefined}>
          <NumberField
            label="Value to set"
            unit={unit}
            value={value}
            min={unit === "" ? 0 : -wide}
            max={wide}
            step={unit === "u" ? 0.001 : 0.01}
            digits={unit === "u" ? 4 : 2}
            onChange={(v) => setMend({ value: v })}
          />
        </Row>
      )}
      {colors && (
        <Row label="Colour">
          <ColorField label="Colour to set" value={color} onChange={(v) => setMend({ color: v })} />
        </Row>
      )}
      {palette.length > 0 && (
        <div role="group" aria-label="Colours of regions" className="flex flex-wrap gap-1 py-1">
          {palette.slice(0, 16).map(({ name, color: [r, g, b] }) => (
            <button
              key={name}
              type="button"
              title={name}
              aria-label={`Set to ${name}`}
              onClick={() =>
                setMend({ color: `#${[r, g, b].map((c) => c.toString(16).padStart(2, "0")).join("")}` })
              }
              className="size-5 rounded-[3px] ring-1 ring-black/25"
              style={{ background: `rgb(${r},${g},${b})` }}
            />
          ))}
        </div>
      )}
      {!colors && reads.length === 0 && recipe.low.length > 0 && (
        <p className="text-xs text-ink-3">Normals become those of the low-poly.</p>
      )}
    </>
  );
}

/** What was mended: how much of it, the newest first to go, and with or without it. */
function Made({ recipe, before }: { recipe: Recipe; before: boolean }) {
  const [, edit] = useRecipe();
  const label = useMapLabels();
  const { strokes, hidden } = recipe.mends ?? { strokes: [], hidden: false };
  const last = strokes.at(-1);
  const keep = (strokes: Mend[]) => edit((r) => ({ ...r, mends: { ...r.mends, strokes } }));
  const of = new Map<string, number>();
  for (const key of strokes.flatMap((m) => m.maps)) of.set(key, (of.get(key) ?? 0) + 1);
  return (
    <div className="mt-1.5 border-t border-line pt-1.5">
      <div className="flex items-center justify-between gap-1">
        <span>
          <b className="num">{strokes.length}</b> {strokes.length === 1 ? "mend" : "mends"}
          {hidden && <span className="text-ink-3">, left out of bakes</span>}
        </span>
        <span className="flex">
          <IconButton
            aria-label="Undo the newest mend"
            title={last ? `Undo ${last.tool} on ${last.maps.map(label).join(", ")}` : undefined}
            onClick={() => keep(strokes.slice(0, -1))}
          >
            <Undo2 className="size-3.5" />
          </IconButton>
          <IconButton
            aria-label={
              hidden ? "Show mends, and draw them onto bakes" : "Hide mends, and leave them out of bakes"
            }
            title={
              hidden ? "Show mends, and draw them onto bakes" : "Hide mends, and leave them out of bakes"
            }
            aria-pressed={Boolean(hidden)}
            onClick={() => edit((r) => ({ ...r, mends: { strokes, ...(hidden ? {} : { hidden: true }) } }))}
          >
            {hidden ? <EyeOff className="size-3.5" /> : <Eye className="size-3.5" />}
          </IconButton>
        </span>
      </div>
      <ul className="text-ink-3">
        {[...of].map(([key, count]) => (
          <li key={key} className="flex justify-between">
            <span>{label(key)}</span>
            <span className="num">{count}</span>
          </li>
        ))}
      </ul>
      <div className="flex items-center justify-between">
        <Tick checked={before} onChange={toggleBefore}>
          Before (V)
        </Tick>
        <Button look="quiet" onClick={() => keep([])}>
          Remove all mends
        </Button>
      </div>
      <p className="text-xs text-ink-3">The next bake has them in its files.</p>
    </div>
  );
}
