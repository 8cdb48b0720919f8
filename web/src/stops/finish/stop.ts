import { standing } from "../standing";
import type { Stop } from "../stop";
import { BeforeHeld } from "./before";
import { FinishLegend } from "./finish-legend";
import { MaskOnModel, MaskOnSheet, useMaskPainting } from "./layers";
import { useFinishFindings } from "./live";
import { FinishStop } from "./panel";
import { setFinish, useFinish } from "./state";
import { MaskTools } from "./tools";

export const finish: Stop = {
  id: "finish",
  label: "Finish",
  Panel: FinishStop,
  useState: () => {
    const { findings, made } = useFinishFindings();
    return standing(findings, made > 0);
  },
  ModelLayers: MaskOnModel,
  SheetLayers: MaskOnSheet,
  ModelTools: MaskTools,
  Legend: FinishLegend,
  usePainting: useMaskPainting,
  Aside: BeforeHeld,
  keys: [
    {
      keys: ["m"],
      shown: "M",
      words: "Mask on the stages: grey, tint, outline, off, at Finish",
      act: () => {
        const looks = ["grey", "tint", "outline", "off"] as const;
        const { show } = useFinish.getState();
        setFinish({ show: looks[(looks.indexOf(show) + 1) % looks.length] });
      },
    },
    {
      keys: [],
      shown: "Hold C",
      words: "The mask as it was before the last change, at Finish",
      act: () => {},
    },
  ],
  close: () => {
    if (useFinish.getState().hand === null) return false;
    setFinish({ hand: null });
    return true;
  },
  left: () => setFinish({ hand: null, before: false }),
};
