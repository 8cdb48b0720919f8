// How a signal is measured, each kind with its own few controls.

import type { ReactNode } from "react";
import { useAsset, useRecipe } from "../../api/queries";
import type { Axis, Channel, Mask, MaskChoices, PictureChannel, Signal, Term } from "../../api/types";
import { NumberField } from "../../ui/number-field";
import { Row, Segment } from "../../ui/parts";
import { Select } from "../../ui/select";
import { Direction } from "./direction";
import { fine, measured, useDiagonal, useMaskEdits } from "./edit";
import { PaintRows } from "./paint-rows";
import { PatternRows } from "./pattern-rows";
import { MaskPictureRow } from "./picture-row";
import { RegionRows } from "./region-rows";

export interface SignalProps {
  mask: Mask;
  term: Term;
  number: number;
  choices: MaskChoices;
}

const AXES: readonly (readonly [Axis, string])[] = [
  ["x", "X"],
  ["y", "Y"],
  ["z", "Z"],
];
const CHANNELS: readonly (readonly [Channel, string])[] = [
  ["r", "R"],
  ["g", "G"],
  ["b", "B"],
];
const PICTURE_CHANNELS: readonly (readonly [PictureChannel, string])[] = [...CHANNELS, ["a", "A"]];

export function SignalRows(props: SignalProps) {
  const { mask, term, number, choices } = props;
  const edits = useMaskEdits(mask.name);
  const put = (signal: Signal) => edits.term(number, { signal });
  const { signal } = term;
  const picture = (file: string | undefined) => <MaskPictureRow mask={mask} number={number} file={file} />;
  switch (signal.kind) {
    case "region":
      return <RegionRows {...props} signal={signal} />;
    case "picture":
      return (
        <>
          {picture(signal.file)}
          <Row label="Channel">
            <Segment
              label="Channel"
              options={PICTURE_CHANNELS}
              value={signal.channel}
              onChange={(channel) => put({ ...signal, channel })}
            />
          </Row>
        </>
      );
    case "paint":
      return <PaintRows {...props} strokes={signal.strokes} />;
    default:
      return (
        <PlainSignalRows
          of={`Term ${number + 1}`}
          signal={signal}
          choices={choices}
          picture={picture}
          within={mask.name}
          onChange={put}
        />
      );
  }
}

interface PlainProps {
  /** What the signal belongs to, for the names of its controls. */
  of: string;
  signal: Signal;
  choices: MaskChoices;
  /** Where the file of a pattern's picture is chosen. */
  picture?: (file: string | undefined) => ReactNode;
  /** The mask that it is within, which it cannot read. */
  within?: string;
  onChange: (signal: Signal) => void;
}

/** How a signal is measured that is not picked, painted or read from a picture. */
export function PlainSignalRows(props: PlainProps) {
  const { signal, choices, picture, within, onChange: put } = props;
  switch (signal.kind) {
    case "curvature":
    case "occlusion":
    case "cavity":
    case "thickness":
      return <Measure {...props} />;
    case "facing":
      return (
        <Direction direction={signal.direction} onChange={(direction) => put({ ...signal, direction })} />
      );
    case "height":
      return (
        <Row label="Axis">
          <Segment
            label="Axis"
            options={AXES}
            value={signal.axis}
            onChange={(axis) => put({ ...signal, axis })}
          />
        </Row>
      );
    case "distance":
      return <OfPart part={signal.part} onChange={(part) => put({ ...signal, part })} />;
    case "channel":
      return (
        <Row label="Channel">
          <Segment
            label="Channel"
            options={CHANNELS}
            value={signal.of}
            onChange={(of) => put({ ...signal, of })}
          />
        </Row>
      );
    case "pattern":
      return (
        <PatternRows
          choices={choices}
          pattern={signal.pattern}
          picture={picture}
          onChange={(pattern) => put({ ...signal, pattern })}
        />
      );
    case "mask":
      return (
        <OtherMask within={within} used={signal.mask} onChange={(used) => put({ ...signal, mask: used })} />
      );
    default:
      return null;
  }
}

/** The one length that says how a signal is measured. */
function Measure({ of, signal, choices, onChange }: PlainProps) {
  const diagonal = useDiagonal();
  const measure = choices.signals.find((s) => s.kind === signal.kind)?.measure;
  if (!measure) return null;
  const value = (signal as unknown as Record<string, number>)[measure.setting] ?? 0;
  const { digits } = fine(diagonal);
  return (
    <Row
      label={measure.label}
      hint={`${measure.help} ${((100 * value) / diagonal).toFixed(1)} % of the asset.`}
    >
      <NumberField
        label={`${of}: ${measure.label.toLowerCase()}`}
        value={value}
        unit="u"
        min={diagonal * 1e-4}
        max={diagonal * 2}
        step={diagonal / 1000}
        digits={digits}
        onChange={(v) => onChange(measured(signal, measure.setting, v))}
      />
    </Row>
  );
}

function OfPart({ part, onChange }: { part: string; onChange: (part: string) => void }) {
  const meshes = useAsset().data?.meshes ?? [];
  const parts = [...new Set(meshes.flatMap((m) => m.summary.parts.map((p) => p.name)))];
  return (
    <Row label="Part" hint="Of the sculpt, or of the low-poly where the sculpt has none of the name.">
      <Select
        label="Part"
        placeholder="Choose a part"
        options={parts.map((p) => [p, p] as const)}
        value={part}
        onChange={onChange}
      />
    </Row>
  );
}

function OtherMask(props: { within?: string; used: string; onChange: (name: string) => void }) {
  const [recipe] = useRecipe();
  const others = (recipe?.masks ?? []).filter((m) => m.name !== props.within);
  return (
    <Row label="Mask" hint={others.length === 0 ? "There is no other mask yet." : undefined}>
      <Select
        label="Mask"
        placeholder="Choose a mask"
        options={others.map((m) => [m.name, m.name] as const)}
        value={props.used}
        onChange={props.onChange}
      />
    </Row>
  );
}
