import { standing, useWhole } from "../standing";
import type { Stop } from "../stop";
import { brushSize } from "./brush";
import { RaysOnModel, RayTools } from "./layers";
import { RayLegend } from "./legend";
import { ReachStop } from "./panel";
import { setReach, toggleNeedles, useReach } from "./state";

const brushed = (act: () => void) => useReach.getState().brush !== null && act();
const stronger = (by: number) => {
  const strength = useReach.getState().brushStrength + by;
  setReach({ brushStrength: Math.min(1, Math.max(0.05, strength)) });
};

export const reach: Stop = {
  id: "reach",
  label: "Reach",
  Panel: ReachStop,
  useState: () => standing([], useWhole()),
  ModelLayers: RaysOnModel,
  ModelTools: RayTools,
  Legend: RayLegend,
  keys: [
    {
      keys: ["e"],
      shown: "E",
      words: "Envelope on the model",
      act: () => setReach({ envelope: !useReach.getState().envelope }),
    },
    { keys: ["n"], shown: "N", words: "Needles, at Reach", act: toggleNeedles },
    {
      keys: ["[", "]"],
      shown: "[  ]",
      words: "With a brush: smaller, larger",
      act: (key) => brushed(() => setReach({ brushSize: brushSize() * (key === "]" ? 1.2 : 1 / 1.2) })),
    },
    {
      keys: ["{", "}"],
      shown: "Shift [  ]",
      words: "With a brush: weaker, stronger",
      act: (key) => brushed(() => stronger(key === "}" ? 0.1 : -0.1)),
    },
  ],
  close: () => {
    if (useReach.getState().brush === null) return false;
    setReach({ brush: null });
    return true;
  },
  // The envelope belongs here: it shows as the stop is entered and leaves with it.
  entered: () => setReach({ envelope: true }),
  left: () => setReach({ envelope: false, brush: null, limits: false }),
};
