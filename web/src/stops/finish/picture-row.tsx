// A picture that something reads: a term, over the low-poly's UVs or repeated as a pattern, or a channel of a coat.
import { useRef, useState } from "react";
import { api } from "../../api/client";
import { useOpen } from "../../api/open";
import { say, settled, useActions } from "../../api/queries";
import type { AssetView, Mask } from "../../api/types";
import { Button, Row } from "../../ui/parts";
import { useOpenFinish } from "./coats/edit";
import { COAT_PLACE } from "./target";

/** The picture of a term. */
export function MaskPictureRow(props: { mask: Mask; number: number; file: string | undefined }) {
  const { mask, number, file } = props;
  const open = useOpenFinish();
  const coat =
    mask.name === COAT_PLACE && open.finish && open.coat
      ? { finish: open.finish.name, coat: open.coat.name }
      : null;
  const send = (asset: number, picture: File) =>
    coat
      ? api.sendCoatPicture(asset, { ...coat, term: number }, picture)
      : api.sendMaskPicture(asset, mask.name, number, picture);
  return <PictureRow of={`term ${number + 1}`} file={file} send={send} />;
}

/** A picture file, chosen and sent to the program. */
export function PictureRow(props: {
  /** What reads it, for the name of the control. */
  of: string;
  file: string | undefined;
  send: (asset: number, picture: File) => Promise<AssetView>;
}) {
  const { file } = props;
  const input = useRef<HTMLInputElement>(null);
  const asset = useOpen((s) => s.asset);
  const { put } = useActions();
  const [busy, setBusy] = useState(false);
  const send = async (picture: File) => {
    if (asset === null) return;
    setBusy(true);
    try {
      // What reads it has to be with the program before it takes the picture.
      await settled();
      put(await props.send(asset, picture));
    } catch (error) {
      say(error);
    }
    setBusy(false);
  };
  return (
    <Row label="File" hint={file ? undefined : "PNG, TIFF, JPEG, TGA or EXR."}>
      {file && <span className="num max-w-[120px] truncate text-xs">{file}</span>}
      <Button disabled={busy} onClick={() => input.current?.click()}>
        {busy ? "Reading" : file ? "Replace" : "Choose"}
      </Button>
      <input
        ref={input}
        type="file"
        aria-label={`Picture of ${props.of}`}
        accept=".png,.tif,.tiff,.jpg,.jpeg,.tga,.exr"
        className="hidden"
        onChange={(e) => {
          const picture = e.target.files?.[0];
          if (picture) send(picture);
          e.target.value = "";
        }}
      />
    </Row>
  );
}
