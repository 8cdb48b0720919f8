// What each file of an import holds, and what no file says of itself.
import { useState } from "react";
import { useMaps, useRecipe, useShownRun } from "../../../api/queries";
import { Panel } from "../../../ui/dialog";
import { NumberField } from "../../../ui/number-field";
import { Button, bytes, Row, Segment } from "../../../ui/parts";
import { Select } from "../../../ui/select";

/** A file, and what it is taken for. */
export interface Line {
  file: File;
  map: string | null;
  sheet: number | null;
}

export interface Offer {
  sheets: string[];
  files: Line[];
}

/** How normal maps and displacement are read; null where it is to be found out. */
export interface Reading {
  green: "up" | "down" | null;
  scale: number | null;
}

const OUT = "left out";
const UNKNOWN = "";

export function ImportDialog(props: {
  offer: Offer;
  onChange: (offer: Offer) => void;
  onSend: (reading: Reading) => Promise<void>;
  onClose: () => void;
}) {
  const { offer, onChange, onSend, onClose } = props;
  const [recipe] = useRecipe();
  const [green, setGreen] = useState<"up" | "down" | "found">("found");
  const baked = useShownRun()?.report?.maps.displacement?.scale;
  const [scale, setScale] = useState(() => ownScale(recipe?.maps ?? []) ?? baked ?? 0.1);
  const [busy, setBusy] = useState(false);
  const [failed, setFailed] = useState<string | null>(null);
  const wanted = offer.files.filter((line) => line.map !== null);
  const has = (map: string) => wanted.some((line) => line.map === map);
  const lost = wanted.some((line) => line.sheet === null);
  const amend = (at: number, change: Partial<Line>) => {
    setFailed(null);
    onChange({ ...offer, files: offer.files.map((line, n) => (n === at ? { ...line, ...change } : line)) });
  };
  const send = async () => {
    setBusy(true);
    setFailed(null);
    const reading = { green: green === "found" ? null : green, scale: has("displacement") ? scale : null };
    await onSend(reading).catch((fault: Error) => {
      setFailed(fault.message);
      setBusy(false);
    });
  };
  return (
    <Panel open title="Import maps" onClose={onClose}>
      <div className="p-4">
        <h2 className="text-base font-semibold">Import maps</h2>
        <p className="mt-1 mb-3 text-ink-2">
          Each file is taken for what its name ends in. Square, all of one size, up to 4096 texels per side.
        </p>
        <ul aria-label="Map files" className="divide-y divide-line border-y border-line">
          {offer.files.map((line, at) => (
            <FileLine
              // biome-ignore lint/suspicious/noArrayIndexKey: files neither move nor go, and two may have one name
              key={at}
              line={line}
              sheets={offer.sheets}
              onChange={(change) => amend(at, change)}
            />
          ))}
        </ul>
        {has("normal") && (
          <Row label="Green of the normal map" hint="Found out: by which way its slopes fit together.">
            <Segment
              label="Green of the normal map"
              options={[
                ["found", "Found out"],
                ["up", "Y+"],
                ["down", "Y-"],
              ]}
              value={green}
              onChange={setGreen}
            />
          </Row>
        )}
        {has("displacement") && (
          <Row
            label="Displacement from black to white"
            hint="Only for files in whole numbers: mid-grey is the low-poly. Float files hold the heights themselves."
          >
            <NumberField
              label="Displacement from black to white"
              unit="units"
              value={scale}
              min={0.0001}
              max={100000}
              step={0.001}
              digits={4}
              onChange={setScale}
            />
          </Row>
        )}
        {failed && (
          <p role="alert" className="mt-2 text-madder">
            {failed}
          </p>
        )}
        <div className="mt-4 flex items-center justify-end gap-2">
          {lost && <span className="mr-auto text-ink-2">Choose a sheet for every file.</span>}
          <Button look="quiet" onClick={onClose}>
            Cancel
          </Button>
          <Button look="strong" disabled={busy || lost || wanted.length === 0} onClick={send}>
            {busy ? "Importing" : `Import ${wanted.length} ${wanted.length === 1 ? "file" : "files"}`}
          </Button>
        </div>
      </div>
    </Panel>
  );
}

function FileLine(props: { line: Line; sheets: string[]; onChange: (change: Partial<Line>) => void }) {
  const { line, sheets, onChange } = props;
  const { file, map, sheet } = line;
  const kinds = (useMaps().data ?? []).map(({ kind }) => kind).filter((kind) => !kind.named);
  return (
    <li className="flex min-h-9 items-center gap-2 py-1">
      <span className={`min-w-0 grow truncate ${map === null ? "text-ink-3" : ""}`} title={file.name}>
        {file.name}
      </span>
      <span className="num shrink-0 text-ink-3">{bytes(file.size)}</span>
      {sheets.length > 1 && map !== null && (
        <Select
          label={`Sheet of ${file.name}`}
          value={sheet === null ? UNKNOWN : String(sheet)}
          placeholder="Which sheet?"
          options={sheets.map((name, number) => [String(number), name] as const)}
          onChange={(number) => onChange({ sheet: Number(number) })}
        />
      )}
      <Select
        label={`What ${file.name} holds`}
        value={map ?? OUT}
        options={[[OUT, "Leave out"], ...kinds.map((kind) => [kind.id, kind.label] as const)]}
        onChange={(key) => onChange({ map: key === OUT ? null : key })}
      />
    </li>
  );
}

/** The scale that the asset's own displacement is set to. */
function ownScale(maps: readonly { map: string; scale?: unknown }[]): number | null {
  const own = maps.find((settings) => settings.map === "displacement")?.scale;
  return typeof own === "number" ? own : null;
}
