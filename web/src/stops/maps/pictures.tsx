// Pictures that a bake reads: a normal map in place of a sculpt, and colours over the sculpt's UVs.
import { useRef, useState } from "react";
import { toast } from "sonner";
import { api } from "../../api/client";
import { useOpen } from "../../api/open";
import { say, useActions, useRecipe } from "../../api/queries";
import type { Green } from "../../api/types";
import { Button, Row, Section, Segment } from "../../ui/parts";

export function PictureRow(props: {
  label: string;
  hint: string;
  use: "normal-map" | "color";
  file: string | undefined;
  onRemove: () => void;
}) {
  const input = useRef<HTMLInputElement>(null);
  const asset = useOpen((s) => s.asset);
  const { put } = useActions();
  const [busy, setBusy] = useState(false);
  const send = async (file: File) => {
    if (asset === null) return;
    setBusy(true);
    await api
      .sendPicture(asset, props.use, file)
      .then((view) => {
        put(view);
        for (const told of view.told) toast.message(told, { duration: 9000 });
      })
      .catch(say);
    setBusy(false);
  };
  return (
    <Row label={props.label} hint={props.hint}>
      {props.file && <span className="num max-w-[110px] truncate text-xs">{props.file}</span>}
      <Button disabled={busy} onClick={() => input.current?.click()}>
        {busy ? "Reading" : props.file ? "Replace" : "Choose"}
      </Button>
      {props.file && (
        <Button look="quiet" onClick={props.onRemove}>
          Remove
        </Button>
      )}
      <input
        ref={input}
        type="file"
        aria-label={`${props.label} file`}
        accept=".png,.tif,.tiff,.jpg,.jpeg,.tga,.exr"
        className="hidden"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) send(file);
          e.target.value = "";
        }}
      />
    </Row>
  );
}

/** An existing normal map of the low-poly: occlusion, curvature and cavity can be made from it. */
export function NormalMapRow() {
  const [recipe, edit] = useRecipe();
  const map = recipe?.normal_map;
  return (
    <Section title="From a normal map">
      <PictureRow
        label="Normal map"
        hint="For detail added after the sculpt. Occlusion, curvature and cavity can be made from it: set 'Made from' in each."
        use="normal-map"
        file={map?.file}
        onRemove={() =>
          edit((r) => ({
            ...r,
            normal_map: null,
            maps: r.maps.map((m) => ("from" in m && m.from === "normal-map" ? { ...m, from: "sculpt" } : m)),
          }))
        }
      />
      {map && (
        <Row label="Green channel">
          <Segment<Green>
            label="Green channel"
            options={[
              ["+", "Y+ up"],
              ["-", "Y- down"],
            ]}
            value={map.y}
            onChange={(y) => edit((r) => (r.normal_map ? { ...r, normal_map: { ...r.normal_map, y } } : r))}
          />
        </Row>
      )}
    </Section>
  );
}
