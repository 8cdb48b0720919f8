import { useAsset } from "../../api/queries";
import { show } from "../../stages/view";
import { standing, useWhole } from "../standing";
import type { Stop } from "../stop";
import { BadgesOnSheet, PairsOnModel } from "./layers";
import { PairsStop } from "./panel";
import { setBadges } from "./state";

export const pairs: Stop = {
  id: "pairs",
  label: "Pairs",
  Panel: PairsStop,
  useState: () => standing(useAsset().data?.pair_findings ?? [], useWhole()),
  ModelLayers: PairsOnModel,
  SheetLayers: BadgesOnSheet,
  entered: () => setBadges(true),
  left: () => {
    setBadges(false);
    show({ apart: 0, solo: null });
  },
};
