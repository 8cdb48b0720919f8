// Pairs on the stages: where parts go when pairs are pulled apart, and each pair's number over its part.
import { useCallback, useEffect, useMemo, useRef } from "react";
import { useAsset } from "../../api/queries";
import { useHidden } from "../../stages/hidden";
import { type Scene, useOnDraw, useScene } from "../../stages/model/scene";
import { useSheetLayer, useSheetScene } from "../../stages/sheet/scene";
import type { Pen } from "../../stages/sheet/sheet-view";
import { Badge } from "../../ui/parts";
import { badgePlaces, drawBadge, withRoom } from "./sheet-badges";
import { usePairs } from "./state";
import { waysApart } from "./ways";

export function PairsOnModel() {
  const scene = useScene();
  const pairs = useAsset().data?.pairs;
  const low = scene?.low?.data;
  const ways = useMemo(() => (low ? waysApart(pairs ?? [], low) : null), [low, pairs]);
  useEffect(() => {
    if (ways) scene?.viewer.setWays(ways);
  }, [scene, ways]);
  const badges = usePairs((s) => s.badges);
  if (!badges || !ways || !pairs || pairs.length < 2) return null;
  return <Badges tops={ways.tops} />;
}

/** Pixels that a number takes on the stage, and those at the top that belong to the tools. */
const [WIDE, TALL, TOOLS] = [24, 19, 42];

function Badges({ tops }: { tops: ReadonlyMap<string, readonly [number, number, number]> }) {
  const host = useRef<HTMLDivElement>(null);
  const pairs = useAsset().data?.pairs ?? [];
  const hidden = useHidden().low;
  const place = useCallback(
    ({ viewer }: Scene) => {
      // Numbers that would cover another, or lie under the tools, wait until there is room.
      const placed: (readonly [number, number])[] = [];
      for (const badge of host.current?.querySelectorAll<HTMLElement>("[data-part]") ?? []) {
        const part = badge.dataset.part ?? "";
        const top = tops.get(part);
        const spot = top ? viewer.project([...top], part) : null;
        const covers = ([x, y]: readonly [number, number]) =>
          spot !== null && Math.abs(x - spot[0]) < WIDE && Math.abs(y - spot[1]) < TALL;
        const free = spot && spot[1] > TOOLS && !placed.some(covers) ? spot : null;
        badge.style.display = free ? "block" : "none";
        if (!free) continue;
        placed.push(free);
        badge.style.transform = `translate(${free[0]}px, ${free[1]}px) translate(-50%, -50%)`;
      }
    },
    [tops],
  );
  useOnDraw(place);
  return (
    <div ref={host} className="pointer-events-none absolute inset-0 overflow-hidden" aria-hidden>
      {pairs
        .filter((p) => !hidden.has(p.low))
        .map((p) => (
          <span key={p.low} data-part={p.low} className="absolute top-0 left-0 hidden">
            <Badge number={p.number} />
          </span>
        ))}
    </div>
  );
}

export function BadgesOnSheet() {
  const badges = usePairs((s) => s.badges);
  const pairs = useAsset().data?.pairs;
  const { low, sheets, number } = useSheetScene();
  const layer = useMemo(() => {
    if (!badges || !low || !pairs) return null;
    const places = badgePlaces(low, pairs, sheets, number);
    return (pen: Pen) => {
      for (const place of withRoom(places, pen.at)) drawBadge(pen, place);
    };
  }, [badges, low, pairs, sheets, number]);
  useSheetLayer(layer);
  return null;
}
