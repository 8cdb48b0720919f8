import type { Stop } from "../stop";
import { MasksStop } from "./panel";

export const masks: Stop = { id: "masks", label: "Masks", Panel: MasksStop, useState: () => "nothing" };
