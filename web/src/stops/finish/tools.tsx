// How finishes and masks show, beside the looks of the model stage.
import { StageSelect } from "../../ui/select";
import { useBakedMaterial } from "./coats/against";
import { useOpenFinish } from "./coats/edit";
import { useAtFinish, useOpenMask } from "./edit";
import { type Compare, type FinishShow, type MaskShow, setFinish, useFinish } from "./state";

const SHOWS: readonly (readonly [MaskShow, string])[] = [
  ["grey", "Mask grey"],
  ["tint", "Mask tint"],
  ["outline", "Mask outline"],
  ["off", "Mask off"],
];

const FINISH_SHOWS: readonly (readonly [FinishShow, string])[] = [
  ["material", "Material"],
  ["base-color", "Base colour"],
  ["roughness", "Roughness"],
  ["metallic", "Metallic"],
  ["emission", "Glow"],
  ["opacity", "Opacity"],
  ["place", "Place of the coat"],
  ["off", "Baked maps"],
];

const COMPARES: readonly (readonly [Compare, string])[] = [
  ["off", "Live"],
  ["wipe", "Baked | live, wiped"],
  ["beside", "Baked | live, side by side"],
];

export function MaskTools() {
  const at = useAtFinish();
  const mask = useOpenMask();
  const { finish } = useOpenFinish();
  const { tab, show, finishShow, compare } = useFinish();
  const baked = useBakedMaterial() !== null;
  if (!at) return null;
  if (tab === "finishes") {
    if (!finish) return null;
    return (
      <>
        <StageSelect
          label="What shows of the finish"
          options={FINISH_SHOWS}
          value={finishShow}
          onChange={(v) => setFinish({ finishShow: v })}
        />
        {finishShow === "material" && baked && (
          <StageSelect
            label="Baked maps against the live finish"
            options={COMPARES}
            value={compare}
            onChange={(v) => setFinish({ compare: v })}
          />
        )}
      </>
    );
  }
  if (!mask) return null;
  return (
    <StageSelect
      label="How the mask shows"
      options={SHOWS}
      value={show}
      onChange={(v) => setFinish({ show: v })}
    />
  );
}
