// A picture that a term reads: of the low-poly's UVs, or repeated as a pattern.
import { useRef, useState } from "react";
import { api } from "../../api/client";
import { useOpen } from "../../api/open";
import { say, settled, useActions } from "../../api/queries";
import type { Mask } from "../../api/types";
import { Button, Row } from "../../ui/parts";
import { useOpenFinish } from "./coats/edit";
import { COAT_PLACE } from "./target";

export function MaskPictureRow(props: { mask: Mask; number: number; file: string | undefined }) {
  const { mask, number, file } = props;
  const input = useRef<HTMLInputElement>(null);
  const asset = useOpen((s) => s.asset);
  const { put } = useActions();
  const open = useOpenFinish();
  const [busy, setBusy] = useState(false);
  const send = async (picture: File) => {
    if (asset === null) return;
    setBusy(true);
    try {
      // The term has to be with the program before it takes the picture.
      await settled();
      const coat =
        mask.name === COAT_PLACE && open.finish && open.coat
          ? { finish: open.finish.name, coat: open.coat.name }
          : null;
      put(
        coat
          ? await api.sendCoatPicture(asset, { ...coat, term: number }, picture)
          : await api.sendMaskPicture(asset, mask.name, number, picture),
      );
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
        aria-label={`Picture of term ${number + 1}`}
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
