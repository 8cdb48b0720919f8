// What is wrong with the meshes, the faults first, and all safe fixes at once.

import { useState } from "react";
import { useActions, useAsset, useMeshFindings } from "../../api/queries";
import type { FixLine } from "../../api/types";
import { Failed } from "../../ui/failed";
import { Button, Section } from "../../ui/parts";
import { FindingCard, findingKey } from "../findings/finding-card";
import { FindingCount, FindingList } from "../findings/finding-list";

export function MeshFindings() {
  const asset = useAsset().data;
  const told = useMeshFindings();
  const findings = told.data?.findings ?? [];
  const fixes = told.data?.fixes ?? [];
  const lows = new Set(asset?.recipe.low.map((s) => s.file));
  return (
    <Section title="Findings" aside={<FindingCount findings={findings} />}>
      <Failed of={told} />
      {told.data && findings.length === 0 && (
        <p className="text-ink-3">
          {asset?.meshes.length
            ? "Nothing is wrong with these meshes."
            : "Files are checked as they are imported."}
        </p>
      )}
      {fixes.length > 1 && <FixAll fixes={fixes} />}
      <FindingList
        findings={findings}
        card={(f, place) => (
          <FindingCard
            key={findingKey(f)}
            place={place}
            finding={f}
            onLow={lows.has(f.place.file ?? "")}
            may
          />
        )}
      />
    </Section>
  );
}

/** Says what fixing all of them does before it does it. */
function FixAll({ fixes }: { fixes: FixLine[] }) {
  const [asked, setAsked] = useState(false);
  const { fix } = useActions();
  if (!asked)
    return (
      <Button className="mb-1 w-full" onClick={() => setAsked(true)}>
        Fix {fixes.length}…
      </Button>
    );
  return (
    <div role="group" aria-label={`Fix ${fixes.length}`} className="mb-2 rounded border border-line p-2">
      <b>What will be done</b>
      <ol className="mt-1 max-h-44 list-decimal overflow-y-auto pl-5 text-ink-2">
        {fixes.map(({ order, words }) => (
          <li key={`${order.file} ${words}`}>
            {order.on === "sculpt" ? "Sculpt" : order.file}: {words}
          </li>
        ))}
      </ol>
      <p className="mt-1 text-xs text-ink-3">
        Files stay as they are. Each step is listed with its file below and can be removed.
      </p>
      <div className="mt-2 flex justify-end gap-2">
        <Button look="quiet" onClick={() => setAsked(false)}>
          Cancel
        </Button>
        <Button
          look="strong"
          onClick={() => {
            setAsked(false);
            fix(fixes.map((line) => line.order));
          }}
        >
          Fix {fixes.length}
        </Button>
      </div>
    </div>
  );
}
