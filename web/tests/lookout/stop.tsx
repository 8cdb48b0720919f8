// A stop of a few lines, as docs/architecture.md tells how to add one: its row, its panel, a layer over the model, a key.
import type { Stop } from "../../src/stops/stop";

/** What was asked of it. */
export const acts = { pressed: 0, entered: 0, left: 0 };

const LookoutStop = () => <p>Nothing burns.</p>;
const Smoke = () => <i data-testid="smoke" />;

export const lookout: Stop = {
  id: "lookout",
  label: "Lookout",
  Panel: LookoutStop,
  useState: () => ({ open: 2 }),
  ModelLayers: Smoke,
  keys: [{ keys: ["k"], shown: "K", words: "Ring the bell", act: () => acts.pressed++ }],
  entered: () => acts.entered++,
  left: () => acts.left++,
};
