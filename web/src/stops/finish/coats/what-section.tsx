// What a coat sets: each channel by a value, a ramp or a picture, laid over what is below it in a way of its own.
import { Plus } from "lucide-react";
import type { Coat, Sets } from "../../../api/types";
import { Section } from "../../../ui/parts";
import { Select } from "../../../ui/select";
import { useDiagonal } from "../edit";
import { useCoatEdits } from "./edit";
import { type Channel, freshValue, SetRow, type SetTo } from "./set-row";

const CHANNELS: readonly (readonly [Channel, string])[] = [
  ["color", "Colour"],
  ["roughness", "Roughness"],
  ["metallic", "Metallic"],
  ["height", "Height"],
  ["emission", "Glow"],
  ["opacity", "Opacity"],
];

export function WhatSection({ finish, coat }: { finish: string; coat: Coat }) {
  const edits = useCoatEdits(finish, coat.name);
  const diagonal = useDiagonal();
  const sets: Sets = coat.sets ?? {};
  const put = (channel: Channel, to: SetTo | null) => edits.change({ sets: { ...sets, [channel]: to } });
  const unset = CHANNELS.filter(([channel]) => sets[channel] == null);
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
            onChange={(channel) => channel && put(channel, freshValue(channel, diagonal))}
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
        const set = sets[channel] as SetTo | null | undefined;
        return set == null ? null : (
          <SetRow
            key={channel}
            finish={finish}
            coat={coat.name}
            channel={channel}
            label={label}
            set={set}
            onChange={(to) => put(channel, to)}
          />
        );
      })}
    </Section>
  );
}
