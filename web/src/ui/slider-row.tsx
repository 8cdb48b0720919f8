// A setting that is found by looking: its name, a slider, and what it stands at.
import type { ComponentProps } from "react";
import { Row } from "./parts";
import { Slider } from "./slider";

export function SliderRow({
  hint,
  shown,
  ...slider
}: ComponentProps<typeof Slider> & {
  hint?: string;
  /** The value as it is written beside the slider. */
  shown: string;
}) {
  return (
    <Row label={slider.label} hint={hint}>
      <span className="flex w-44 items-center gap-2">
        <Slider {...slider} />
        <span className="num w-18 text-right">{shown}</span>
      </span>
    </Row>
  );
}
