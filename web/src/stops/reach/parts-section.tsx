// Reaches pair by pair: what each low-poly part comes to, and numbers of its own for the one that is chosen.
import { useState } from "react";
import { useAsset, useRecipe } from "../../api/queries";
import type { Distance, PartReach } from "../../api/types";
import { LongList } from "../../ui/long-list";
import { Badge, Section } from "../../ui/parts";
import { Tick } from "../../ui/tick";
import { DistanceRow, fineness } from "./distance-row";
import { useEnvelope } from "./live";
import { setReach, useReach } from "./state";

export function PartsSection() {
  const pairs = useAsset().data?.pairs ?? [];
  const [recipe, edit] = useRecipe();
  const header = useEnvelope()?.header;
  const [chosen, choose] = useState<string | null>(null);
  const { needlePart } = useReach();
  if (!recipe || pairs.length < 2) return null;
  const { digits } = fineness(header?.diagonal ?? 1);
  const own = (part: string) => recipe.reach.parts?.find((p) => p.part === part);
  const put = (part: string, change: Partial<PartReach>) =>
    edit((r) => {
      const others = r.reach.parts?.filter((p) => p.part !== part) ?? [];
      const mine = { ...r.reach.parts?.find((p) => p.part === part), ...change, part };
      const plain = (mine.out ?? null) === null && (mine.in ?? null) === null;
      return { ...r, reach: { ...r.reach, parts: plain ? others : [...others, mine] } };
    });
  return (
    <Section title="Pairs" aside={<span className="num text-xs text-ink-3">out / in, at most</span>}>
      <LongList items={pairs} keyOf={(p) => p.low} height={28} className="-mx-1">
        {(pair, place) => {
          const line = header?.parts.find((p) => p.part === pair.low);
          const open = chosen === pair.low;
          const mine = own(pair.low);
          return (
            <li key={pair.low} {...place} className={open ? "rounded bg-sunk" : ""}>
              <button
                type="button"
                aria-expanded={open}
                onClick={() => choose(open ? null : pair.low)}
                className="flex h-7 w-full items-center gap-2 rounded px-1 hover:bg-sunk"
              >
                <Badge number={pair.number} />
                <span
                  className={`min-w-0 grow truncate text-left ${mine ? "font-semibold" : ""}`}
                  title={pair.low}
                >
                  {pair.low}
                </span>
                {line && (
                  <span className="num shrink-0 text-xs text-ink-2">
                    {line.out[1].toFixed(digits)} / {line.in[1].toFixed(digits)}
                  </span>
                )}
              </button>
              {open && line && header && (
                <div className="px-1 pb-1.5">
                  {(["out", "in"] as const).map((side) => (
                    <Own
                      key={side}
                      label={`Reach ${side}`}
                      part={pair.low}
                      value={mine?.[side] ?? null}
                      asset={recipe.reach[side]}
                      longest={line[side][1]}
                      diagonal={header.diagonal}
                      onChange={(length) => put(pair.low, { [side]: length })}
                    />
                  ))}
                  <Tick
                    checked={needlePart === pair.low}
                    onChange={(on) => setReach({ needlePart: on ? pair.low : null })}
                  >
                    Needles of this pair only
                  </Tick>
                </div>
              )}
            </li>
          );
        }}
      </LongList>
    </Section>
  );
}

function Own(props: {
  label: string;
  part: string;
  value: Distance | null;
  asset: Distance;
  longest: number;
  diagonal: number;
  onChange: (value: Distance | null) => void;
}) {
  const { value, asset, part, ...rest } = props;
  return (
    <>
      <DistanceRow {...rest} of={part} value={value ?? asset} />
      {value !== null && (
        <button
          type="button"
          className="block pl-[76px] text-xs text-ink-3 underline underline-offset-2 hover:text-ink"
          onClick={() => props.onChange(null)}
        >
          Use the asset's
        </button>
      )}
    </>
  );
}
