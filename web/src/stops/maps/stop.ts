import { standing, useWhole } from "../standing";
import type { Stop } from "../stop";
import { MapsStop } from "./panel";

export const maps: Stop = {
  id: "maps",
  label: "Maps",
  Panel: MapsStop,
  useState: () => standing([], useWhole()),
};
