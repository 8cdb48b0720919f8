import { useShownRun } from "../../api/queries";
import { standing } from "../standing";
import type { Stop } from "../stop";
import { BakeStop } from "./panel";

export const bake: Stop = {
  id: "bake",
  label: "Bake",
  Panel: BakeStop,
  useState: () => standing([], Boolean(useShownRun())),
};
