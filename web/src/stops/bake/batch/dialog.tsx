// Which assets go into a batch, and how they are delivered.
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../../api/client";
import { useAssets } from "../../../api/queries";
import { Panel } from "../../../ui/dialog";
import { Button, LinkButton, Row } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { Tick } from "../../../ui/tick";
import { useProfiles } from "../../deliver/state";

const NONE = "none";

export function BatchDialog({ onClose }: { onClose: () => void }) {
  const assets = useAssets().data ?? [];
  const profiles = (useProfiles().data ?? []).map((line) => line.profile);
  const client = useQueryClient();
  const [chosen, setChosen] = useState<ReadonlySet<number>>(() => new Set(assets.map((asset) => asset.id)));
  const [profile, setProfile] = useState<string>("separate");
  const [onlyChanged, setOnlyChanged] = useState(true);
  const [busy, setBusy] = useState(false);
  const [failed, setFailed] = useState<string | null>(null);
  // Until the profiles are there nothing is begun that would not be delivered.
  const by = profiles.find((own) => own.name === profile) ?? null;
  const ready = chosen.size > 0 && (profile === NONE || by !== null);
  const all = chosen.size === assets.length;
  const toggle = (id: number, on: boolean) => {
    const next = new Set(chosen);
    if (on) next.add(id);
    else next.delete(id);
    setChosen(next);
  };
  const start = async () => {
    setBusy(true);
    setFailed(null);
    const ids = assets.filter((asset) => chosen.has(asset.id)).map((asset) => asset.id);
    await api
      .startBatch({ assets: ids, profile: by, only_changed: onlyChanged })
      .then(() => {
        client.invalidateQueries({ queryKey: ["batches"] });
        onClose();
      })
      .catch((fault: Error) => {
        setFailed(fault.message);
        setBusy(false);
      });
  };
  return (
    <Panel open title="Bake several assets" onClose={onClose}>
      <div className="p-4">
        <div className="flex items-baseline justify-between">
          <h2 className="text-base font-semibold">Bake several assets</h2>
          <LinkButton onClick={() => setChosen(new Set(all ? [] : assets.map((asset) => asset.id)))}>
            {all ? "None" : "All"}
          </LinkButton>
        </div>
        <ul aria-label="Assets" className="my-2 max-h-[40vh] overflow-y-auto border-y border-line py-1">
          {assets.map((asset) => (
            <li key={asset.id}>
              <Tick checked={chosen.has(asset.id)} onChange={(on) => toggle(asset.id, on)}>
                <span className="block truncate">{asset.name}</span>
              </Tick>
            </li>
          ))}
        </ul>
        <Row
          label="Deliver by"
          hint="Into a folder of the asset's name; what was delivered there before is kept beside it."
        >
          <Select
            label="Deliver by"
            value={profile}
            options={[[NONE, "not at all"] as const, ...profiles.map((own) => [own.name, own.name] as const)]}
            onChange={setProfile}
          />
        </Row>
        <Tick checked={onlyChanged} onChange={setOnlyChanged}>
          Skip finals that are up to date with their settings
        </Tick>
        {failed && (
          <p role="alert" className="mt-2 text-madder">
            {failed}
          </p>
        )}
        <div className="mt-4 flex justify-end gap-2">
          <Button look="quiet" onClick={onClose}>
            Cancel
          </Button>
          <Button look="strong" disabled={busy || !ready} onClick={start}>
            Bake {chosen.size} {chosen.size === 1 ? "asset" : "assets"}
          </Button>
        </div>
      </div>
    </Panel>
  );
}
