// The brush of a painted mask.
import type { MaskBrush, MaskStroke } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { Button, Row } from "../../ui/parts";
import { ToolRow } from "../../ui/tool-row";
import { BrushMirror, BrushStrength } from "../brush-rows";
import { fine, useDiagonal, useMaskEdits } from "./edit";
import type { SignalProps } from "./signal-rows";
import { setFinish, useFinish } from "./state";

const BRUSHES: readonly (readonly [MaskBrush, string, string])[] = [
  ["add", "Add", "Paints the mask white."],
  ["take-away", "Take away", "Paints it black."],
  ["smooth", "Smooth", "Evens it out."],
];

export function PaintRows({ mask, number, strokes }: SignalProps & { strokes: readonly MaskStroke[] }) {
  const { hand, term, brush, brushSize, brushStrength, brushMirror } = useFinish();
  const edits = useMaskEdits(mask.name);
  const diagonal = useDiagonal();
  const { digits, step } = fine(diagonal);
  const size = brushSize ?? diagonal * 0.05;
  const painting = hand === "paint" && term === number;
  return (
    <>
      <div className="mt-1">
        <ToolRow
          label="Brush"
          tools={BRUSHES}
          taken={painting ? brush : null}
          onTake={(taken) =>
            setFinish(taken ? { hand: "paint", brush: taken, term: number } : { hand: null })
          }
        />
      </div>
      <p className="mt-1 text-xs text-ink-3">
        {painting
          ? "Drag over the model. Beside it, or with Alt, a drag turns it."
          : "Choose a brush and drag over the model."}
      </p>
      {painting && (
        <>
          <Row label="Size">
            <NumberField
              label="Brush size"
              unit="u"
              value={size}
              min={step / 5}
              max={diagonal}
              step={step}
              digits={digits}
              onChange={(v) => setFinish({ brushSize: v })}
            />
          </Row>
          <BrushStrength value={brushStrength} onChange={(v) => setFinish({ brushStrength: v })} />
          <BrushMirror value={brushMirror} onChange={(v) => setFinish({ brushMirror: v })} />
        </>
      )}
      {strokes.length > 0 && (
        <div className="flex items-center justify-between">
          <span>
            <b className="num">{strokes.length}</b> {strokes.length === 1 ? "stroke" : "strokes"} painted
          </span>
          <Button look="quiet" onClick={() => edits.term(number, { signal: { kind: "paint", strokes: [] } })}>
            Remove all strokes
          </Button>
        </div>
      )}
    </>
  );
}
