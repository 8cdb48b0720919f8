// How the open mask shows, beside the looks of the model stage.
import { StageSelect } from "../../ui/select";
import { useAtFinish, useOpenMask } from "./edit";
import { type MaskShow, setFinish, useFinish } from "./state";

const SHOWS: readonly (readonly [MaskShow, string])[] = [
  ["grey", "Mask grey"],
  ["tint", "Mask tint"],
  ["outline", "Mask outline"],
  ["off", "Mask off"],
];

export function MaskTools() {
  const at = useAtFinish();
  const mask = useOpenMask();
  const show = useFinish((s) => s.show);
  if (!at || !mask) return null;
  return (
    <StageSelect
      label="How the mask shows"
      options={SHOWS}
      value={show}
      onChange={(v) => setFinish({ show: v })}
    />
  );
}
