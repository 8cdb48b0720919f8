// What stands on the model stage while a mask shows: its name, how much it covers, and how long the last picture took.
import { useAtFinish, useOpenMask } from "./edit";
import { useMaskPicture, useShownMask } from "./live";
import { useFinish } from "./state";
import { Waiting } from "./waiting";

export const share = (value: number) => `${(100 * value).toFixed(value < 0.1 ? 1 : 0)} %`;

export function MaskLegend() {
  const at = useAtFinish();
  const mask = useOpenMask();
  const show = useFinish((s) => s.show);
  const live = useShownMask();
  const picture = useMaskPicture();
  const tab = useFinish((s) => s.tab);
  const place = useFinish((s) => s.finishShow === "place");
  if (!at || !mask || (tab === "masks" ? show === "off" : !place)) return null;
  return (
    <span
      role="status"
      aria-label="Mask on the stages"
      data-took={picture ? Math.round(picture.took) : undefined}
      data-busy={live?.busy ?? true}
      className="rounded bg-black/60 px-2 py-0.5 text-[#f4f4f4]"
    >
      <b>{mask.name}</b>
      {live?.view?.covers != null && <span className="num"> {share(live.view.covers)} of the surface</span>}
      {live?.failed && <span className="block first-letter:uppercase">{live.failed}</span>}
      <Waiting for={live?.busy ?? true} />
    </span>
  );
}
