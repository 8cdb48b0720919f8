// The pictures of a profile: each a map as it is, or channels picked from maps and constants.
import { Plus, X } from "lucide-react";
import { type ShownRun, useChoices, useMapLabels, useMaps } from "../../api/queries";
import type { ImageFormat, Pick, PictureRule } from "../../api/types";
import { depthLabel } from "../../ui/depth";
import { Fold } from "../../ui/fold";
import { NumberField } from "../../ui/number-field";
import { Button, IconButton, Row, Segment } from "../../ui/parts";
import { Select } from "../../ui/select";
import { Tick } from "../../ui/tick";
import { TextField } from "./text-field";

const CHANNELS = ["r", "g", "b", "a"] as const;
const CONSTANT = "a constant";

export function PictureList(props: {
  run: ShownRun;
  pictures: readonly PictureRule[];
  onChange: (pictures: PictureRule[]) => void;
}) {
  const { run, pictures, onChange } = props;
  const maps = useMaps().data ?? [];
  const keys = [...new Set([...Object.keys(run.report?.maps ?? {}), ...maps.map((m) => m.kind.id)])].filter(
    (key) => key !== "mask",
  );
  const put = (at: number, picture: PictureRule) =>
    onChange(pictures.map((old, i) => (i === at ? picture : old)));
  return (
    <>
      {pictures.map((picture, at) => (
        <PictureCard
          // biome-ignore lint/suspicious/noArrayIndexKey: pictures have no name of their own, and suffixes may agree while they are typed
          key={at}
          picture={picture}
          keys={keys}
          onChange={(changed) => put(at, changed)}
          onRemove={pictures.length > 1 ? () => onChange(pictures.filter((_, i) => i !== at)) : undefined}
        />
      ))}
      <Button
        className="mt-1"
        onClick={() =>
          onChange([...pictures, { suffix: "New", holds: { map: "normal" }, depth: "8" } as PictureRule])
        }
      >
        <Plus className="size-3.5" /> Picture
      </Button>
    </>
  );
}

function PictureCard(props: {
  picture: PictureRule;
  keys: readonly string[];
  onChange: (picture: PictureRule) => void;
  onRemove: (() => void) | undefined;
}) {
  const { picture, keys, onChange, onRemove } = props;
  const label = useMapLabels();
  const formats = useChoices().data?.formats ?? [];
  const format = picture.format ?? "png";
  const depthsOf = (f: ImageFormat) => formats.find((line) => line.format === f)?.depths ?? [picture.depth];
  const whole = "map" in picture.holds ? picture.holds.map : null;
  const picks = "channels" in picture.holds ? picture.holds.channels : [];
  const set = (change: Partial<PictureRule>) => onChange({ ...picture, ...change });
  const setCount = (count: number) =>
    set({ holds: { channels: Array.from({ length: count }, (_, i) => picks[i] ?? 1) } });
  const about = whole ? label(whole) : `${picks.length} channels`;
  return (
    <fieldset aria-label={`Picture ${picture.suffix}`} className="border-t border-line py-1 first:border-t-0">
      <div className="flex items-center gap-1">
        <TextField
          label={`Suffix of ${picture.suffix}`}
          value={picture.suffix}
          onChange={(suffix) => set({ suffix })}
          className="num grow bg-sunk"
        />
        {onRemove && (
          <IconButton aria-label={`Remove picture ${picture.suffix}`} onClick={onRemove}>
            <X className="size-3.5" />
          </IconButton>
        )}
      </div>
      <div className="mt-1 flex items-center gap-1">
        <Select
          label={`Format of ${picture.suffix}`}
          options={formats.map((f) => [f.format, f.label] as const)}
          value={format}
          onChange={(f) =>
            set({
              format: f,
              depth: depthsOf(f).includes(picture.depth) ? picture.depth : (depthsOf(f)[0] ?? picture.depth),
            })
          }
        />
        <Select
          label={`Depth of ${picture.suffix}`}
          options={depthsOf(format).map((d) => [d, depthLabel(format, d)] as const)}
          value={picture.depth}
          onChange={(depth) => set({ depth })}
        />
        <span className="min-w-0 grow truncate text-right text-ink-3" title={about}>
          {about}
        </span>
      </div>
      <Fold title="Channels">
        <Row label="Holds">
          <Segment
            label={`What ${picture.suffix} holds`}
            options={[
              ["map", "A map"],
              ["1", "1"],
              ["3", "RGB"],
              ["4", "RGBA"],
            ]}
            value={whole ? "map" : String(picks.length)}
            onChange={(v) =>
              v === "map" ? set({ holds: { map: keys[0] ?? "normal" } }) : setCount(Number(v))
            }
          />
        </Row>
        {whole && (
          <Row label="Map">
            <Select
              label={`Map of ${picture.suffix}`}
              options={keys.map((key) => [key, label(key)] as const)}
              value={whole}
              onChange={(map) => set({ holds: { map } })}
            />
          </Row>
        )}
        {picks.map((pick, at) => {
          const name = picks.length === 1 ? "Grey" : (["Red", "Green", "Blue", "Alpha"][at] ?? "");
          return (
            <PickRow
              key={name}
              name={name}
              pick={pick}
              keys={keys}
              onChange={(changed) =>
                set({ holds: { channels: picks.map((old, i) => (i === at ? changed : old)) } })
              }
            />
          );
        })}
        <Tick checked={picture.needed ?? false} onChange={(needed) => set({ needed })}>
          Tell when a run lacks it
        </Tick>
      </Fold>
    </fieldset>
  );
}

function PickRow(props: {
  name: string;
  pick: Pick;
  keys: readonly string[];
  onChange: (pick: Pick) => void;
}) {
  const { name, pick, keys, onChange } = props;
  const label = useMapLabels();
  const constant = typeof pick === "number";
  const options = [[CONSTANT, CONSTANT] as const, ...keys.map((key) => [key, label(key)] as const)];
  return (
    <div className="py-0.5">
      <div className="flex items-center gap-1">
        <span className="w-12 shrink-0 text-ink-2">{name}</span>
        <Select
          label={`${name}: map`}
          className="min-w-0 grow bg-sunk hover:ring-1 hover:ring-line"
          options={options}
          value={constant ? CONSTANT : pick.map}
          onChange={(map) => onChange(map === CONSTANT ? 1 : { map, channel: "r" })}
        />
        {constant ? (
          <NumberField
            label={`${name}: value`}
            value={pick}
            min={0}
            max={1}
            step={0.01}
            digits={2}
            onChange={onChange}
          />
        ) : (
          <Select
            label={`${name}: channel`}
            options={CHANNELS.map((c) => [c, c.toUpperCase()] as const)}
            value={pick.channel ?? "r"}
            onChange={(channel) => onChange({ ...pick, channel })}
          />
        )}
      </div>
      {!constant && (
        <div className="flex flex-wrap items-center gap-x-2 pl-12">
          <Tick checked={pick.invert ?? false} onChange={(invert) => onChange({ ...pick, invert })}>
            Invert
          </Tick>
          <Tick
            checked={pick.else != null}
            onChange={(on) => onChange({ ...pick, else: on ? 1 : undefined })}
          >
            Else
          </Tick>
          {pick.else != null && (
            <NumberField
              label={`${name}: value without the map`}
              value={pick.else}
              min={0}
              max={1}
              step={0.01}
              digits={2}
              onChange={(otherwise) => onChange({ ...pick, else: otherwise })}
            />
          )}
        </div>
      )}
    </div>
  );
}
