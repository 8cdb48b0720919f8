// What is done to the place as a whole: blur along the surface, levels, inverting, amount.
import type { Mask } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { Row, Section } from "../../ui/parts";
import { Tick } from "../../ui/tick";
import { fine, useDiagonal, useMaskEdits } from "./edit";

export function AfterSection({ mask }: { mask: Mask }) {
  const edits = useMaskEdits(mask.name);
  const diagonal = useDiagonal();
  const { blur = 0, levels, invert = false, amount = 1 } = mask.place;
  const { digits } = fine(diagonal);
  const { low, high } = levels ?? { low: 0, high: 1 };
  const putLevels = (low: number, high: number) =>
    edits.place({ levels: low === 0 && high === 1 ? null : low === high ? levels : { low, high } });
  return (
    <Section title="Afterwards">
      <Row label="Blur" hint={blur > 0 ? "Along the surface, across UV seams." : undefined}>
        <NumberField
          label="Blur radius"
          unit="u"
          value={blur}
          min={0}
          max={diagonal * 0.2}
          step={diagonal / 2000}
          digits={digits}
          onChange={(v) => edits.place({ blur: v })}
        />
      </Row>
      <Row label="Levels" hint="The values that become black and white.">
        <NumberField
          label="Level that becomes black"
          value={low}
          min={-1}
          max={2}
          step={0.005}
          digits={2}
          onChange={(v) => putLevels(v, high)}
        />
        <NumberField
          label="Level that becomes white"
          value={high}
          min={-1}
          max={2}
          step={0.005}
          digits={2}
          onChange={(v) => putLevels(low, v)}
        />
      </Row>
      <Row label="Amount">
        <NumberField
          label="Amount"
          unit="%"
          value={amount * 100}
          min={0}
          max={100}
          step={0.5}
          digits={0}
          onChange={(v) => edits.place({ amount: v / 100 })}
        />
      </Row>
      <Tick checked={invert} onChange={(v) => edits.place({ invert: v })}>
        Inverted
      </Tick>
    </Section>
  );
}
