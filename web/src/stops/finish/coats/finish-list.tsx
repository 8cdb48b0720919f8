// Finishes to take: each with its picture on this asset, taken by a click, or dragged onto a part of the model.
import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { api } from "../../../api/client";
import { useAsset } from "../../../api/queries";
import type { Finish } from "../../../api/types";
import { IconButton } from "../../../ui/parts";

/** What a dragged finish is known by: its JSON. */
export const DRAGGED_FINISH = "application/x-ember-ridge-finish";

export interface FinishLine {
  finish: Finish;
  explains: string;
}

export function FinishList(props: {
  lines: readonly FinishLine[];
  /** Beside the lists' own questions: each list asks for its pictures once. */
  of: string;
  onTake: (finish: Finish) => void;
  onRemove?: (name: string) => void;
}) {
  const { lines, of, onTake, onRemove } = props;
  const asset = useAsset().data;
  const pictures = useQuery({
    queryKey: ["finish-pictures", of, asset?.id, asset?.recipe.low, asset?.recipe.high, lines.length],
    queryFn: () =>
      api.finishPictures(asset?.id ?? 0, {
        finishes: lines.map((line) => line.finish),
        diagonal: null,
        tags: [],
        files: [],
      }),
    enabled: lines.length > 0 && (asset?.recipe.low.length ?? 0) > 0,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  return (
    <ul className="flex flex-col gap-0.5">
      {lines.map(({ finish, explains }) => {
        const picture = pictures.data?.find((p) => p.map === finish.name)?.picture;
        return (
          <li key={finish.name} className="flex items-start gap-1">
            <button
              type="button"
              draggable
              onDragStart={(e) => e.dataTransfer.setData(DRAGGED_FINISH, JSON.stringify(finish))}
              onClick={() => onTake(finish)}
              className="flex min-w-0 grow items-start gap-2 rounded px-1 py-0.5 text-left hover:bg-sunk"
            >
              <span
                aria-hidden
                className="mt-0.5 size-9 shrink-0 rounded-[3px] bg-sunk"
                style={
                  picture
                    ? {
                        backgroundImage: `url(${picture})`,
                        backgroundSize: "cover",
                      }
                    : undefined
                }
              />
              <span className="min-w-0">
                <b>{finish.name}</b> <span className="text-xs text-ink-3">{explains}</span>
              </span>
            </button>
            {onRemove && (
              <IconButton
                aria-label={`Remove ${finish.name} from the library`}
                onClick={() => onRemove(finish.name)}
              >
                <X className="size-3" />
              </IconButton>
            )}
          </li>
        );
      })}
    </ul>
  );
}
