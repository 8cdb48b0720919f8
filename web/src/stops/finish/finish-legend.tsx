// What stands on the model stage at Finish: the sky of the material look, or what the mask is.
import { AgainstLegend } from "./coats/against";
import { SkyTools } from "./coats/sky-tools";
import { MaskLegend } from "./legend";

export function FinishLegend() {
  return (
    <>
      <AgainstLegend />
      <SkyTools />
      <MaskLegend />
    </>
  );
}
