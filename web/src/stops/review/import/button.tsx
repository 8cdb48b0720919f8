// Maps that another program made, into the ledger: chosen, sorted by their names, and looked over before anything is sent.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { toast } from "sonner";
import { api } from "../../../api/client";
import { assetKey } from "../../../api/drafts";
import { open } from "../../../api/open";
import { say, useAsset, useShownRun } from "../../../api/queries";
import { FilesButton } from "../../../ui/json-button";
import { Row } from "../../../ui/parts";
import { setAgainst } from "../state";
import { ImportDialog, type Offer, type Reading } from "./dialog";

const PICTURES = ".png,.tif,.tiff,.jpg,.jpeg,.tga,.exr";

export function ImportMaps() {
  const asset = useAsset().data;
  const run = useShownRun();
  const client = useQueryClient();
  const [offer, setOffer] = useState<Offer | null>(null);
  if (!asset || asset.missing) return null;
  const { id } = asset;
  const choose = async (files: File[]) => {
    if (files.length === 0) return;
    await api
      .sortMaps(
        id,
        files.map((file) => file.name),
      )
      .then((sorted) =>
        setOffer({
          sheets: sorted.sheets,
          files: sorted.files.map(({ map, sheet }, at) => ({ file: files[at] as File, map, sheet })),
        }),
      )
      .catch(say);
  };
  const send = async (reading: Reading) => {
    const files = (offer?.files ?? []).filter((line) => line.map !== null);
    const made = await api.importMaps(id, files, reading);
    setOffer(null);
    // A run that is not listed yet would be held against nothing.
    await client.invalidateQueries({ queryKey: assetKey(id) });
    toast(`Run ${made.number} holds the imported maps.`);
    // What was looked at stays: the newest run would take its place.
    open({ run: run?.id ?? made.id });
    if (run) setAgainst({ run: made.id, shows: "this", most: {} });
  };
  return (
    <>
      <Row
        label="Maps from another program"
        hint="They become a run of their own in the ledger, to be compared and measured like a bake."
      >
        <FilesButton label="Import…" what="Map files" accept={PICTURES} several onFiles={choose} />
      </Row>
      {offer && (
        <ImportDialog offer={offer} onChange={setOffer} onSend={send} onClose={() => setOffer(null)} />
      )}
    </>
  );
}
