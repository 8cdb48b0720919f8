import { useShownRun } from "../../api/queries";
import { standing } from "../standing";
import type { Stop } from "../stop";
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
  close: () => {
    if (useTraced.getState().traced === null) return false;
    setTraced({ traced: null });
    return true;
  },
};
