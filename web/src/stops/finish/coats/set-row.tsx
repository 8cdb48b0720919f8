// One channel that a coat sets: by one value, by a ramp over a signal, or by a picture.
import { X } from "lucide-react";
import { api } from "../../../api/client";
import type { Blend, PicturePatternSettings, RampOver, Sets, SetTo as SetToColor } from "../../../api/types";
import { ColorField } from "../../../ui/color-field";
import { NumberField } from "../../../ui/number-field";
import { IconButton, Row } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { ControlRow } from "../control-row";
import { fine, useDiagonal, useMaskChoices } from "../edit";
import { SPACES } from "../pattern-rows";
import { PictureRow } from "../picture-row";
import { PlainSignalRows } from "../signal-rows";
import { freshSignal } from "../where-section";
import { RampEditor, type Stop } from "./ramp-editor";

export type Channel = keyof Sets;
type Value = string | number;

/** What a channel is set to, whichever kind its values are. */
export type SetTo = Omit<SetToColor, "value" | "ramp"> & {
  value?: Value | null;
  ramp?: (Omit<RampOver, "stops"> & { stops: Stop<Value>[] }) | null;
};

type Kind = "value" | "ramp" | "picture";

const KINDS: readonly (readonly [Kind, string])[] = [
  ["value", "One value"],
  ["ramp", "Ramp"],
  ["picture", "Picture"],
];

const BLENDS: readonly (readonly [Blend, string])[] = [
  ["over", "Over"],
  ["multiply", "Multiply"],
  ["screen", "Screen"],
  ["add", "Add"],
  ["minimum", "Minimum"],
  ["maximum", "Maximum"],
];

/** What places are for: there is no ramp over them on the page. */
const NOT_ALONG = ["region", "paint", "picture"];

export const isColor = (channel: Channel) => channel === "color" || channel === "emission";

/** A channel as it is set first. */
export function freshValue(channel: Channel, diagonal: number): SetTo {
  if (channel === "height") return { value: Number((diagonal * 0.001).toPrecision(2)), blend: "add" };
  const value = { color: "#8a7a66", emission: "#ffb060", roughness: 0.6, metallic: 0, opacity: 0.6 }[channel];
  return { value };
}

/** Two values to run between, from the one that was set. */
function ends(channel: Channel, value: Value | null | undefined, diagonal: number): [Value, Value] {
  if (channel === "color") return [value ?? "#4a4038", "#d8cbb4"];
  if (channel === "emission") return ["#000000", value ?? "#ffb060"];
  if (channel === "height") return [0, value ?? diagonal * 0.001];
  return [value ?? 0.3, 0.9];
}

interface Props {
  finish: string;
  coat: string;
  channel: Channel;
  label: string;
  set: SetTo;
  onChange: (set: SetTo | null) => void;
}

export function SetRow(props: Props) {
  const { channel, label, set, onChange } = props;
  const diagonal = useDiagonal();
  const choices = useMaskChoices().data;
  const kind: Kind = set.ramp ? "ramp" : set.picture ? "picture" : "value";
  const plain = { blend: set.blend, strength: set.strength };
  const take = (to: Kind) => {
    if (to === kind || !choices) return;
    if (to === "value") return onChange({ ...freshValue(channel, diagonal), ...plain });
    if (to === "picture") return onChange({ ...plain, picture: { ...PICTURE, space: "uv" } });
    const [low, high] = ends(channel, set.value, diagonal);
    const over = freshSignal("pattern", choices, diagonal, []);
    onChange({
      ...plain,
      ramp: {
        over,
        stops: [
          [0, low],
          [1, high],
        ],
      },
    });
  };
  return (
    <div className="border-line border-b py-1 last:border-b-0">
      <div className="flex min-h-7 items-center gap-1.5">
        <span className="w-18 shrink-0 text-ink-2">{label}</span>
        <span className="flex min-w-0 grow items-center gap-1">
          <Select label={`What ${label} is set by`} options={KINDS} value={kind} onChange={take} />
          <Select
            label={`How ${label} is laid`}
            options={BLENDS}
            value={set.blend ?? "over"}
            onChange={(blend) => onChange({ ...set, blend })}
          />
        </span>
        <IconButton aria-label={`Leave ${label} as it is below`} onClick={() => onChange(null)}>
          <X className="size-3.5" />
        </IconButton>
      </div>
      <div className="pl-2">
        {kind === "value" && (
          <div className="flex min-h-7 justify-end">
            <ValueField
              channel={channel}
              label={label}
              value={set.value ?? 0}
              onChange={(value) => onChange({ ...set, value })}
            />
          </div>
        )}
        {kind === "ramp" && <RampRows {...props} />}
        {kind === "picture" && <PictureRows {...props} />}
        {(channel === "emission" || kind === "picture") && (
          <Row
            label="Strength"
            hint={channel === "height" ? "How far white lies above black." : "Multiplies what is set."}
          >
            <NumberField
              label={`Strength of ${label}`}
              value={set.strength ?? 1}
              unit={channel === "height" ? "u" : undefined}
              min={0}
              max={channel === "height" ? diagonal : 1000}
              step={channel === "height" ? diagonal * 1e-4 : 0.01}
              digits={channel === "height" ? fine(diagonal).digits + 1 : 2}
              onChange={(strength) => onChange({ ...set, strength })}
            />
          </Row>
        )}
      </div>
    </div>
  );
}

const PICTURE: PicturePatternSettings = { picture: null, size: 1, blend: 0.2, channel: "r" };

function ValueField(props: {
  channel: Channel;
  label: string;
  value: Value;
  onChange: (value: Value) => void;
}) {
  const { channel, label, value, onChange } = props;
  const diagonal = useDiagonal();
  if (isColor(channel)) return <ColorField label={label} value={String(value)} onChange={onChange} />;
  const height = channel === "height";
  return (
    <NumberField
      label={label}
      value={Number(value)}
      unit={height ? "u" : undefined}
      min={height ? -diagonal : 0}
      max={height ? diagonal : 1}
      step={height ? diagonal * 1e-4 : 0.005}
      digits={height ? fine(diagonal).digits + 1 : 2}
      onChange={onChange}
    />
  );
}

/** The ramp, and the signal that it lies over. */
function RampRows({ channel, label, set, onChange }: Props) {
  const choices = useMaskChoices().data;
  const diagonal = useDiagonal();
  const { ramp } = set;
  if (!ramp || !choices) return null;
  const put = (change: Partial<NonNullable<SetTo["ramp"]>>) =>
    onChange({ ...set, ramp: { ...ramp, ...change } });
  const info = choices.signals.find((s) => s.kind === ramp.over.kind);
  const inLengths = info?.unit === "length";
  const numbers = ramp.stops.map((stop) => Number(stop[1]));
  const [least, most] = channel === "height" ? [Math.min(...numbers), Math.max(...numbers)] : [0, 1];
  const grey = (value: Value) =>
    `color(srgb-linear ${Array(3)
      .fill(lightness(Number(value), least, most))
      .join(" ")})`;
  const take = (kind: string) => {
    const over = freshSignal(kind, choices, diagonal, []);
    const to = choices.signals.find((s) => s.kind === kind)?.range ?? [0, diagonal];
    put({ over, stops: spread(ramp.stops, to) });
  };
  return (
    <>
      <RampEditor<Value>
        label={label}
        stops={ramp.stops}
        smooth={ramp.smooth ?? false}
        range={info?.range ?? [0, 0]}
        digits={inLengths ? fine(diagonal).digits : 2}
        unit={inLengths ? "u" : undefined}
        paint={isColor(channel) ? String : grey}
        field={(value, name, change) => (
          <ValueField channel={channel} label={name} value={value} onChange={change} />
        )}
        onChange={put}
      />
      <Row label="Along" hint={info?.explains}>
        <Select
          label={`Signal that ${label} runs along`}
          options={choices.signals
            .filter((s) => !NOT_ALONG.includes(s.kind) || s.kind === ramp.over.kind)
            .map((s) => [s.kind, s.label] as const)}
          value={ramp.over.kind}
          onChange={take}
        />
      </Row>
      <PlainSignalRows of={label} signal={ramp.over} choices={choices} onChange={(over) => put({ over })} />
    </>
  );
}

/** A share of a range; half of one that is none. */
const lightness = (value: number, least: number, most: number) =>
  most > least ? (value - least) / (most - least) : 0.5;

/** The same stops over another range. */
export function spread(stops: readonly Stop<Value>[], [low, high]: readonly number[]): Stop<Value>[] {
  const [first, last] = [stops[0]?.[0] ?? 0, stops.at(-1)?.[0] ?? 1];
  const share = (at: number) => (last > first ? (at - first) / (last - first) : 0);
  const whole = (high ?? 1) - (low ?? 0);
  return stops.map(([at, value]) => [Number(((low ?? 0) + share(at) * whole).toPrecision(6)), value]);
}

/** The picture, and how it lies. */
function PictureRows({ finish, coat, channel, label, set, onChange }: Props) {
  const choices = useMaskChoices().data;
  const { picture } = set;
  const controls = choices?.patterns.find((p) => p.info.id === "picture")?.info.controls ?? [];
  if (!picture) return null;
  const put = (change: Partial<PicturePatternSettings>) =>
    onChange({ ...set, picture: { ...picture, ...change } });
  const inUvs = picture.space === "uv" || picture.space === "texture-uv";
  const apart = ["picture", ...(isColor(channel) ? ["channel"] : []), ...(inUvs ? ["blend"] : [])];
  return (
    <>
      <PictureRow
        of={label}
        file={picture.picture?.file}
        send={(asset, file) => api.sendCoatPicture(asset, { finish, coat, channel }, file)}
      />
      <Row label="Laid out">
        <Select
          label={`Where the picture of ${label} is laid out`}
          options={SPACES}
          value={picture.space ?? "object"}
          onChange={(space) => put({ space })}
        />
      </Row>
      {controls
        .filter((control) => !apart.includes(control.setting))
        .map((control) => (
          <ControlRow
            key={control.setting}
            control={control}
            value={(picture as unknown as Record<string, unknown>)[control.setting]}
            inUvs={inUvs}
            onChange={(value) => put({ [control.setting]: value })}
          />
        ))}
    </>
  );
}
