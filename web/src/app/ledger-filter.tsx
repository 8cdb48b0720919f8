// What the ledger lists, and how much room proofs have.
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ListFilter } from "lucide-react";
import { Popover } from "radix-ui";
import { api, type RunFilter } from "../api/client";
import { say, useAsset, useMapLabels } from "../api/queries";
import type { RunKind } from "../api/types";
import { Button, bytes, LinkButton, Row } from "../ui/parts";
import { Select } from "../ui/select";
import { Tick } from "../ui/tick";
import { useLedger } from "./runs";

const ANY = "any";
const GIGABYTE = 1e9;
const ROOM = ["0.5", "1", "2", "4", "8", "16", "32"] as const;

/** A kind of finding in words. */
const kindWords = (kind: string) => {
  const words = kind.replaceAll("-", " ");
  return words.charAt(0).toUpperCase() + words.slice(1);
};

function change(by: Partial<Record<keyof RunFilter, RunFilter[keyof RunFilter] | typeof ANY>>) {
  const { wanted } = useLedger.getState();
  const all = Object.entries({ ...wanted, ...by }).filter(([, value]) => value !== ANY && value !== false);
  useLedger.setState({ wanted: Object.fromEntries(all) });
}

export function LedgerFilter() {
  const wanted = useLedger((s) => s.wanted);
  const on = Object.keys(wanted).length > 0;
  return (
    <Popover.Root>
      <Popover.Trigger
        aria-label={on ? "Filter runs, on" : "Filter runs"}
        className={`grid size-6 place-items-center rounded hover:bg-sunk ${on ? "bg-ink text-sheet hover:bg-ink" : "text-ink-2"}`}
      >
        <ListFilter className="size-3.5" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="start"
          sideOffset={6}
          aria-label="Filter runs"
          className="z-50 w-72 rounded border border-line bg-sheet p-2.5 shadow-lg"
        >
          <Filters wanted={wanted} on={on} />
          <ProofRoom />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Filters({ wanted, on }: { wanted: RunFilter; on: boolean }) {
  const asset = useAsset();
  const label = useMapLabels();
  const id = asset.data?.id ?? 0;
  // What they can be found by, from a page without runs.
  const by = useQuery({
    queryKey: ["found-by", id, asset.dataUpdatedAt],
    queryFn: () => api.runs(id, 0),
    enabled: id > 0,
  }).data;
  return (
    <>
      <div className="flex min-h-6 items-center justify-between">
        <h2>Show runs</h2>
        {on && <LinkButton onClick={() => useLedger.setState({ wanted: {} })}>Show all</LinkButton>}
      </div>
      <Row label="Kind">
        <Select<RunKind | typeof ANY>
          label="Kind of run"
          value={wanted.kind ?? ANY}
          options={[
            [ANY, "Any"],
            ["proof", "Proofs"],
            ["final", "Finals"],
            ["imported", "Imported maps"],
          ]}
          onChange={(kind) => change({ kind })}
        />
      </Row>
      <Row label="With map">
        <Select<string>
          label="Map that was made"
          value={wanted.map ?? ANY}
          options={[[ANY, "Any"], ...(by?.maps ?? []).map((key) => [key, label(key)] as const)]}
          onChange={(map) => change({ map })}
        />
      </Row>
      <Row label="With finding">
        <Select<string>
          label="Kind of finding"
          value={wanted.finding ?? ANY}
          options={[[ANY, "Any"], ...(by?.findings ?? []).map((kind) => [kind, kindWords(kind)] as const)]}
          onChange={(finding) => change({ finding })}
        />
      </Row>
      <Tick checked={wanted.starred ?? false} onChange={(starred) => change({ starred })}>
        Only with a star
      </Tick>
    </>
  );
}

/** How much room proofs take and may take. */
function ProofRoom() {
  const client = useQueryClient();
  const room = useQuery({ queryKey: ["proof-room"], queryFn: api.proofRoom, staleTime: 0 }).data;
  // As high before the answer as after it: what stands above must not move under the pointer.
  const { held, most_of_asset: count } = room ?? {};
  const most = room ? String(room.most / GIGABYTE) : "";
  const known = ROOM.some((size) => size === most);
  const set = (gigabytes: string) =>
    api
      .setProofRoom(Math.round(Number(gigabytes) * GIGABYTE))
      .then((now) => client.setQueryData(["proof-room"], now))
      .catch(say);
  return (
    <div className="mt-2 border-t border-line pt-2">
      <Row
        label="Room for proofs"
        hint={`${held === undefined ? "…" : bytes(held)} now. The oldest are removed first, and beyond ${count ?? "…"} per asset. Finals and starred runs stay.`}
      >
        <Select<string>
          label="Room for proofs"
          value={most}
          options={[
            ...(known ? [] : [[most, room ? bytes(room.most) : "…"] as const]),
            ...ROOM.map((size) => [size, `${size} GB`] as const),
          ]}
          onChange={set}
        />
      </Row>
    </div>
  );
}

export function NoneFound() {
  return (
    <p className="flex h-full items-center gap-2 px-2 text-ink-3">
      No run fits the filter.
      <Button look="quiet" onClick={() => useLedger.setState({ wanted: {} })}>
        Show all
      </Button>
    </p>
  );
}
