// The sky that the material look is lit by: its mood, its exposure, and how bright light is eased. The lamp turns it.
import type { SkyName } from "../../../stages/model/material";
import { StageSelect } from "../../../ui/select";
import { StageRange, ToolToggle } from "../../../ui/stage-tools";
import { useAtFinish } from "../edit";
import { setFinish, useFinish } from "../state";
import { useOpenFinish } from "./edit";

const SKY_NAMES: readonly (readonly [SkyName, string])[] = [
  ["morning", "Morning"],
  ["overcast", "Overcast"],
  ["dusk", "Dusk"],
];

export function SkyTools() {
  const at = useAtFinish();
  const { finish } = useOpenFinish();
  const { tab, finishShow, sky, exposure, plain } = useFinish();
  if (!at || tab !== "finishes" || finishShow !== "material" || !finish) return null;
  return (
    <div className="pointer-events-auto flex flex-wrap items-center gap-1.5 text-sm">
      <StageSelect label="Sky" options={SKY_NAMES} value={sky} onChange={(v) => setFinish({ sky: v })} />
      <StageRange
        label="Exposure"
        value={exposure}
        min={-3}
        max={3}
        step={0.1}
        shown={`${exposure > 0 ? "+" : ""}${exposure.toFixed(1)} EV`}
        onChange={(v) => setFinish({ exposure: v })}
      />
      <ToolToggle label="Plain tone" on={plain} onChange={(v) => setFinish({ plain: v })} />
    </div>
  );
}
