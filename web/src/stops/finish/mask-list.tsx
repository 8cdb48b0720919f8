// The masks of the asset, each with a live picture.

import { useRecipe } from "../../api/queries";
import type { Mask } from "../../api/types";
import { Section } from "../../ui/parts";
import { useOpenMask } from "./edit";
import { useMaskPictures, useShownMask } from "./live";
import { openMask } from "./state";

export function MaskList() {
  const [recipe] = useRecipe();
  const open = useOpenMask();
  const pictures = useMaskPictures();
  const live = useShownMask();
  const masks = recipe?.masks ?? [];
  if (masks.length === 0)
    return (
      <Section>
        <p className="text-ink-2">
          No masks yet. Start from a preset below, or from nothing: paint one, pick regions, or click
          examples.
        </p>
      </Section>
    );
  const baked = (name: string) => recipe?.maps.some((m) => m.map === "mask" && m.mask === name) ?? false;
  return (
    <Section title="Masks">
      <ul className="-mx-1 max-h-62 overflow-y-auto">
        {masks.map((mask) => {
          const swatch = pictures.data?.find((s) => s.map === `mask:${mask.name}`);
          const isOpen = mask.name === open?.name;
          const picture = (isOpen && live?.picture?.url) || swatch?.picture;
          return (
            <MaskRow
              key={mask.name}
              mask={mask}
              picture={picture ?? null}
              error={swatch?.error ?? null}
              open={isOpen}
              baked={baked(mask.name)}
            />
          );
        })}
      </ul>
    </Section>
  );
}

function MaskRow(props: {
  mask: Mask;
  picture: string | null;
  error: string | null;
  open: boolean;
  baked: boolean;
}) {
  const { mask, picture, error, open, baked } = props;
  return (
    <li>
      <button
        type="button"
        aria-current={open}
        onClick={() => openMask(mask.name)}
        className={`flex w-full items-center gap-2 rounded px-1 py-0.5 text-left hover:bg-sunk ${open ? "bg-sunk" : ""}`}
      >
        <span className="grid size-9 shrink-0 place-items-center overflow-hidden rounded-[3px] bg-stage">
          {picture ? <img src={picture} alt="" className="size-full" /> : null}
        </span>
        <span className="min-w-0 grow">
          <b className="block truncate">{mask.name}</b>
          <span
            className={`block truncate text-xs first-letter:uppercase ${error ? "text-madder" : "text-ink-3"}`}
          >
            {error ?? (baked ? "Baked as a map" : "Not baked")}
          </span>
        </span>
      </button>
    </li>
  );
}
