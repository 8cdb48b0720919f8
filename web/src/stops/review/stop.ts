import { useShownRun } from "../../api/queries";
import { AS_BAKED, show } from "../../stages/view";
import { standing } from "../standing";
import type { Stop } from "../stop";
import { switchRuns } from "./against-section";
import { ReviewOnModel, ReviewOnSheet } from "./layers";
import { setMend, toggleBefore, useMendHand } from "./mends/state";
import { ReviewStop } from "./panel";
import { chooseRegion, clearRegion, useRegionHand } from "./region/state";
import { lendAgainst, setTraced, takeAgainstBack, useTraced } from "./state";
import { TraceCard } from "./trace-card";

export const review: Stop = {
  id: "review",
  label: "Review",
  Panel: ReviewStop,
  useState: () => {
    const run = useShownRun();
    return standing(run?.found ?? [], Boolean(run));
  },
  ModelLayers: ReviewOnModel,
  SheetLayers: ReviewOnSheet,
  Aside: TraceCard,
  keys: [
    { keys: ["x"], shown: "X", words: "Show the other of two compared runs", act: switchRuns },
    {
      keys: ["v"],
      shown: "V",
      words: "Show maps before and after their mends, at Review",
      act: toggleBefore,
    },
  ],
  entered: lendAgainst,
  left: () => {
    takeAgainstBack();
    setMend({ tool: null, before: false });
    clearRegion();
    show({ heat: null, ...AS_BAKED });
  },
  close: () => {
    if (useRegionHand.getState().choosing) {
      chooseRegion(false);
      return true;
    }
    if (useMendHand.getState().tool !== null) {
      setMend({ tool: null });
      return true;
    }
    if (useTraced.getState().traced === null) return false;
    setTraced({ traced: null });
    return true;
  },
};
