// The brush: what it does, how large and how strongly; and plumb for all that leans, by one click.
import { useState } from "react";
import { toast } from "sonner";
import { api } from "../../api/client";
import { say, useAsset, useRecipe } from "../../api/queries";
import type { Brush, ReachSide } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { Button, Row, Section, Segment } from "../../ui/parts";
import { ToolRow } from "../../ui/tool-row";
import { BrushMirror, BrushStrength } from "../brush-rows";
import { BRUSHES, TURNS, turns } from "./brush";
import { fineness } from "./distance-row";
import { useEnvelope } from "./live";
import { setReach, useReach } from "./state";

export function BrushSection() {
  const { brush, brushSide, brushStrength, brushValue, brushMirror, brushSize } = useReach();
  const header = useEnvelope()?.header;
  if (!header) return null;
  const { diagonal } = header;
  const { step, digits } = fineness(diagonal);
  const size = brushSize ?? diagonal * 0.05;
  const take = (taken: Brush | null) => setReach({ brush: taken, envelope: true });
  const words = [...BRUSHES, ...TURNS].find(([b]) => b === brush)?.[2];
  return (
    <Section
      title="Brush"
      aside={
        brush && (
          <Button look="quiet" onClick={() => setReach({ brush: null })}>
            Put down
          </Button>
        )
      }
    >
      <ToolRow label="Brush for reaches" tools={BRUSHES} taken={brush} onTake={take} />
      <div className="mt-1">
        <ToolRow label="Brush for directions" tools={TURNS} taken={brush} onTake={take} />
      </div>
      <p className="mt-1 text-xs text-ink-3">
        {words ?? "Choose a brush and drag over the model. Distances are measured along the surface."}
        {brush && " Beside the model, or with Alt, a drag turns it."}
      </p>
      {brush && (
        <>
          <Row label="Size" hint={`${((100 * size) / diagonal).toFixed(1)} % of the asset. Keys [ and ].`}>
            <NumberField
              label="Brush size"
              value={size}
              min={step}
              max={diagonal}
              step={step * 5}
              digits={digits}
              onChange={(v) => setReach({ brushSize: v })}
            />
          </Row>
          <BrushStrength value={brushStrength} onChange={(v) => setReach({ brushStrength: v })} />
          {brush === "set" && (
            <Row label="Distance">
              <NumberField
                label="Distance to set"
                value={brushValue}
                min={0}
                max={diagonal}
                step={step}
                digits={digits}
                onChange={(v) => setReach({ brushValue: v })}
              />
            </Row>
          )}
          {!turns(brush) && (
            <Row label="Changes">
              <Segment<ReachSide>
                label="Which reach the brush changes"
                options={[
                  ["out", "Out"],
                  ["in", "In"],
                  ["both", "Both"],
                ]}
                value={brushSide}
                onChange={(v) => setReach({ brushSide: v })}
              />
            </Row>
          )}
          <BrushMirror value={brushMirror} onChange={(v) => setReach({ brushMirror: v })} />
        </>
      )}
      <Strokes idle={header.reach.idle_strokes} />
      <Upright />
    </Section>
  );
}

function Strokes({ idle }: { idle: number }) {
  const [recipe, edit] = useRecipe();
  const strokes = recipe?.reach.strokes ?? [];
  if (strokes.length === 0) return null;
  return (
    <div className="mt-1.5 border-t border-line pt-1.5">
      <div className="flex items-center justify-between">
        <span>
          <b className="num">{strokes.length}</b> {strokes.length === 1 ? "stroke" : "strokes"} painted
        </span>
        <Button look="quiet" onClick={() => edit((r) => ({ ...r, reach: { ...r.reach, strokes: [] } }))}>
          Remove all strokes
        </Button>
      </div>
      {idle > 0 && (
        <p className="text-ochre-ink">
          {idle} of them touch no vertex and change nothing. Use a larger brush, or more vertices.
        </p>
      )}
    </div>
  );
}

/** Finds what leans and paints plumb over it. */
function Upright() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  const [busy, setBusy] = useState(false);
  if (!asset || !recipe) return null;
  const paint = async () => {
    setBusy(true);
    try {
      const found = await api.upright(asset.id, recipe);
      if (found.length === 0) toast("Nothing leans: rays meet every sharp detail head-on.");
      else
        edit((r) => ({
          ...r,
          reach: { ...r.reach, strokes: [...(r.reach.strokes ?? []), ...found] },
        }));
    } catch (error) {
      say(error);
    }
    setBusy(false);
  };
  return (
    <div className="mt-1.5 border-t border-line pt-1.5">
      <Button disabled={busy} onClick={paint}>
        {busy ? "Looking for leaning details…" : "Paint plumb where details lean"}
      </Button>
      <p className="mt-1 text-xs text-ink-3">
        Finds sharp details that slanted rays distort, and makes rays plumb over them.
      </p>
    </div>
  );
}
