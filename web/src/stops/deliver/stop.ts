import { standing, useHasFinal } from "../standing";
import type { Stop } from "../stop";
import { DeliverStop } from "./panel";

export const deliver: Stop = {
  id: "deliver",
  label: "Deliver",
  Panel: DeliverStop,
  useState: () => standing([], useHasFinal()),
};
