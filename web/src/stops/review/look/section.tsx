// How maps are looked at: how their values are spread and a part of them, mip levels, repeats, what lies outside islands, strength; and the
// view saved as a picture.
import { useShownRun } from "../../../api/queries";
import { AS_BAKED, show, useView } from "../../../stages/view";
import { LinkButton, Section } from "../../../ui/parts";
import { SliderRow } from "../../../ui/slider-row";
import { Tick } from "../../../ui/tick";
import { MeasureIt, useMeasured } from "../measured";
import { Mips } from "./mips";
import { Range } from "./range";
import { SaveView } from "./save-view";

export function LookSection() {
  const run = useShownRun();
  const { looks, mip, tiled, outside, strength, map } = useView();
  const measured = useMeasured(run);
  if (!run?.report) return null;
  const changed =
    mip !== 0 ||
    tiled ||
    outside ||
    strength !== 1 ||
    Object.values(looks).some((look) => look.range || look.stops);
  const normals = map === "normal" && run.report.maps.normal !== undefined;
  return (
    <Section
      title="View"
      aside={changed ? <LinkButton onClick={() => show({ ...AS_BAKED })}>Reset</LinkButton> : undefined}
    >
      {measured ? (
        <>
          <Range run={run} />
          <Mips run={run} />
        </>
      ) : (
        <MeasureIt run={run} what="Values and mips" />
      )}
      {normals && (
        <SliderRow
          label="Normal strength"
          hint="On the model only; files stay as they are."
          min={0}
          max={3}
          step={0.05}
          value={strength}
          text={`${strength.toFixed(2)} times`}
          shown={`${strength.toFixed(2)}x`}
          onChange={(value) => show({ strength: value })}
        />
      )}
      <div className="flex gap-5 pt-1">
        <Tick checked={tiled} onChange={(on) => show({ tiled: on })}>
          Repeat the sheet
        </Tick>
        <Tick checked={outside} onChange={(on) => show({ outside: on })}>
          Hatch padding
        </Tick>
      </div>
      <SaveView />
    </Section>
  );
}
