// What a coat sets: each channel by a value, laid over what is below it in a way of its own.
import { Plus, X } from "lucide-react";
import type { Blend, Coat, Sets } from "../../../api/types";
import { ColorField } from "../../../ui/color-field";
import { NumberField } from "../../../ui/number-field";
import { IconButton, Section } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { fine, useDiagonal } from "../edit";
import { useCoatEdits } from "./edit";

const BLENDS: readonly (readonly [Blend, string])[] = [
  ["over", "Over"],
  ["multiply", "Multiply"],
  ["screen", "Screen"],
  ["add", "Add"],
  ["minimum", "Minimum"],
  ["maximum", "Maximum"],
];

type Channel = keyof Sets;

const CHANNELS: readonly (readonly [Channel, string])[] = [
  ["color", "Colour"],
  ["roughness", "Roughness"],
  ["metallic", "Metallic"],
  ["height", "Height"],
  ["emission", "Glow"],
  ["opacity", "Opacity"],
];

const isColor = (channel: Channel) => channel === "color" || channel === "emission";

export function WhatSection({ finish, coat }: { finish: string; coat: Coat }) {
  const edits = useCoatEdits(finish, coat.name);
  const diagonal = useDiagonal();
  const sets: Sets = coat.sets ?? {};
  const put = (channel: Channel, to: object | null) => edits.change({ sets: { ...sets, [channel]: to } });
  const fresh = (channel: Channel) =>
    isColor(channel)
      ? { value: channel === "color" ? "#8a7a66" : "#ffb060" }
      : channel === "height"
        ? { value: Number((diagonal * 0.001).toPrecision(2)), blend: "add" }
        : { value: channel === "metallic" ? 0 : 0.6 };
  const unset = CHANNELS.filter(([channel]) => sets[channel] == null);
  const { digits } = fine(diagonal);
  return (
    <Section
      title="What"
      aside={
        unset.length > 0 ? (
          <Select<Channel | "">
            label="Set a channel"
            value=""
            placeholder="Set a channel"
            options={unset}
            onChange={(channel) => channel && put(channel, fresh(channel))}
          />
        ) : undefined
      }
    >
      {unset.length === CHANNELS.length && (
        <p className="text-ink-2">
          <Plus className="inline size-3.5" /> It sets nothing yet: choose a channel above.
        </p>
      )}
      {CHANNELS.map(([channel, label]) => {
        const set = sets[channel];
        if (set == null) return null;
        const from = set.ramp ? `by ${set.ramp.over.kind}` : set.picture ? "picture" : null;
        return (
          <div key={channel} className="flex min-h-8 items-center gap-1.5">
            <span className="w-18 shrink-0 text-ink-2">{label}</span>
            <span className="flex min-w-0 grow items-center gap-1.5">
              {from !== null ? (
                <>
                  <span className="min-w-0 truncate rounded bg-sunk px-1.5 leading-6">{from}</span>
                  <IconButton
                    aria-label={`Set ${label} to one value`}
                    onClick={() => put(channel, fresh(channel))}
                  >
                    <X className="size-3" />
                  </IconButton>
                </>
              ) : isColor(channel) ? (
                <ColorField
                  label={label}
                  value={String(set.value)}
                  onChange={(value) => put(channel, { ...set, value })}
                />
              ) : (
                <NumberField
                  label={label}
                  value={Number(set.value)}
                  unit={channel === "height" ? "u" : undefined}
                  min={channel === "height" ? -diagonal : 0}
                  max={channel === "height" ? diagonal : 1}
                  step={channel === "height" ? diagonal * 1e-4 : 0.005}
                  digits={channel === "height" ? digits + 1 : 2}
                  onChange={(value) => put(channel, { ...set, value })}
                />
              )}
            </span>
            <Select
              label={`How ${label} is laid`}
              options={BLENDS}
              value={set.blend ?? "over"}
              onChange={(blend) => put(channel, { ...set, blend })}
            />
            <IconButton aria-label={`Leave ${label} as it is below`} onClick={() => put(channel, null)}>
              <X className="size-3.5" />
            </IconButton>
          </div>
        );
      })}
    </Section>
  );
}
