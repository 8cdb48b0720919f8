// What a stage shows, saved as a picture of any size.
import { useState } from "react";
import { toast } from "sonner";
import { say, useAsset, useShownRun } from "../../../api/queries";
import { captured, type Stage } from "../../../stages/capture";
import { useView } from "../../../stages/view";
import { NumberField } from "../../../ui/number-field";
import { Button, Row } from "../../../ui/parts";
import { saveFile } from "../../../ui/save-file";
import { Select } from "../../../ui/select";
import { Tick } from "../../../ui/tick";

export function SaveView() {
  const [stage, setStage] = useState<Stage>("model");
  const [width, setWidth] = useState(2048);
  const [clear, setClear] = useState(false);
  const [busy, setBusy] = useState(false);
  const asset = useAsset().data;
  const run = useShownRun();
  const map = useView((s) => s.map);
  const save = async () => {
    setBusy(true);
    try {
      const { file, width: came } = await captured(stage, width, clear);
      const name = `${asset?.name ?? "asset"} run ${run?.number ?? 0} ${stage === "sheet" ? map : stage}`;
      saveFile(file, `${name.toLowerCase().replaceAll(/[^a-z0-9]+/g, "_")}.png`);
      if (came < width) toast(`Saved ${came} pixels wide: no more can be drawn here.`);
    } catch (error) {
      say(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="mt-1.5 border-t border-line pt-1.5">
      <Row label="Save the view">
        <Select<Stage>
          label="Stage to save"
          value={stage}
          options={[
            ["model", "Model"],
            ["sheet", "Sheet"],
          ]}
          onChange={setStage}
        />
        <NumberField
          label="Width of the picture"
          unit="px"
          value={width}
          min={64}
          max={8192}
          step={16}
          onChange={setWidth}
        />
      </Row>
      <div className="flex items-center justify-between">
        <Tick checked={clear} onChange={setClear}>
          Clear background
        </Tick>
        <Button onClick={save} disabled={busy}>
          {busy ? "Saving…" : "Save PNG"}
        </Button>
      </div>
    </div>
  );
}
