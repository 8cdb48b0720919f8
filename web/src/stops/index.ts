// The stops in the order the work goes. A new one is its folder and a row here.
import { bake } from "./bake/stop";
import { deliver } from "./deliver/stop";
import { finish } from "./finish/stop";
import { maps } from "./maps/stop";
import { meshes } from "./meshes/stop";
import { pairs } from "./pairs/stop";
import { reach } from "./reach/stop";
import { review } from "./review/stop";
import type { Stop } from "./stop";

export const STOPS: readonly Stop[] = [meshes, pairs, reach, maps, bake, review, finish, deliver];
