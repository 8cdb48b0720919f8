import { useShownRun } from "../../api/queries";
import { standing } from "../standing";
import type { Stop } from "../stop";
import { switchRuns } from "./against-section";
import { TracedRay } from "./layers";
import { ReviewStop } from "./panel";
import { setTraced, useTraced } from "./state";
import { TraceCard } from "./trace-card";

export const review: Stop = {
  id: "review",
  label: "Review",
  Panel: ReviewStop,
  useState: () => {
    const run = useShownRun();
    return standing(run?.found ?? [], Boolean(run));
  },
  ModelLayers: TracedRay,
  Aside: TraceCard,
  keys: [{ keys: ["x"], shown: "X", words: "Show the other of two compared runs", act: switchRuns }],
  close: () => {
    if (useTraced.getState().traced === null) return false;
    setTraced({ traced: null });
    return true;
  },
};
