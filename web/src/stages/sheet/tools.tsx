// The sheet stage's own tools: which map, sheet and channel, the UV wires, the zoom.
import { useMapLabels } from "../../api/queries";
import { StageSelect } from "../../ui/select";
import { StageTools, Tag, ToolSegment, ToolToggle } from "../../ui/stage-tools";
import { type Channel, show, useView } from "../view";
import type { Shown } from "./shown";

const CHANNELS: [Channel, string][] = [
  ["all", "RGB"],
  ["r", "R"],
  ["g", "G"],
  ["b", "B"],
];

export function Tools({ shown, painting }: { shown: Shown; painting: string | null }) {
  const { channel, uvWires } = useView();
  const label = useMapLabels();
  const { maps, map, sheets, number } = shown;
  return (
    <StageTools>
      <Tag yields={painting === null}>{painting ?? "SHEET"}</Tag>
      {map && !painting && (
        <StageSelect
          label="Map"
          options={maps.map((m) => [m, label(m)] as const)}
          value={map}
          onChange={(v) => show({ map: v })}
        />
      )}
      {sheets.length > 1 && (
        <StageSelect
          label="Which sheet"
          options={sheets.map((name, i) => [String(i), name] as const)}
          value={String(number)}
          onChange={(v) => show({ sheet: Number(v) })}
        />
      )}
      {!painting && (
        <ToolSegment
          label="Channels"
          options={CHANNELS}
          folds
          value={channel}
          onChange={(v) => show({ channel: v })}
        />
      )}
      <ToolToggle label="UVs" on={uvWires} onChange={(v) => show({ uvWires: v })} />
    </StageTools>
  );
}

export function Zoom(props: { size: number; zoom: number; onFit: () => void }) {
  const { size, zoom, onFit } = props;
  const factor = zoom >= 1 ? `${zoom.toFixed(zoom < 10 ? 1 : 0)}x` : `${Math.round(zoom * 100)} %`;
  return (
    <span className="absolute right-3 bottom-3 flex items-center gap-2 text-on-stage">
      <span className="num">{size > 0 ? `${size} px, ${factor}` : ""}</span>
      <button type="button" className="h-6 rounded bg-(--stage-tool) px-2 hover:bg-black/50" onClick={onFit}>
        Fit
      </button>
    </span>
  );
}

/** One channel as grey, for the canvas's filter. */
export function ChannelFilters() {
  const rows = { r: "1 0 0 0 0", g: "0 1 0 0 0", b: "0 0 1 0 0" };
  return (
    <svg className="absolute size-0" aria-hidden>
      {Object.entries(rows).map(([name, row]) => (
        <filter key={name} id={`channel-${name}`} colorInterpolationFilters="sRGB">
          <feColorMatrix values={`${row} ${row} ${row} 0 0 0 1 0`} />
        </filter>
      ))}
    </svg>
  );
}
