// The core sample: the open finish as strata from the ground up, each as thick as it covers and filled with its coat. A click opens a
// coat, a drag moves it; with the keyboard, arrows go from one to the next, and Alt with arrows moves one.
import { Eye, EyeOff } from "lucide-react";
import { type KeyboardEvent, useRef } from "react";
import type { Coat, Finish } from "../../../api/types";
import { useDraggedRow } from "../../../ui/drag-rows";
import { share } from "../legend";
import { openCoat } from "../state";
import { moved, useCoatEdits } from "./edit";
import { useCoatPictures, useFinishView } from "./live";

/** Pixels of the thinnest and of the thickest stratum. */
const [THIN, THICK] = [30, 62];
/** Corners of a stratum's ragged top. */
const TEETH = 14;

/** A ragged upper edge, the same for a name every time. */
function ragged(name: string): string {
  let seed = [...name].reduce((n, c) => (n * 31 + c.charCodeAt(0)) >>> 0, 7);
  const next = () => {
    seed = (seed * 1664525 + 1013904223) >>> 0;
    return seed / 2 ** 32;
  };
  const top = Array.from(
    { length: TEETH + 1 },
    (_, i) => `${(i / TEETH) * 100}% ${(next() * 6).toFixed(1)}px`,
  );
  return `polygon(${top.join(",")},100% 100%,0 100%)`;
}

export function CoreSample({ finish, open }: { finish: Finish; open: Coat | null }) {
  const edits = useCoatEdits(finish.name, "");
  const view = useFinishView(finish.name);
  const pictures = useCoatPictures(finish.name).data ?? [];
  const list = useRef<HTMLUListElement>(null);
  const coats = finish.coats ?? [];
  const pictureOf = (name: string) => pictures.find((p) => p.map === name)?.picture ?? null;
  const coversOf = (name: string) => view?.coats.find((c) => c.name === name)?.covers ?? null;
  const shown = [...coats].reverse();

  const move = (name: string, to: number) => edits.coats((all) => moved(all, name, to));
  const key = (e: KeyboardEvent, name: string) => {
    const way = e.key === "ArrowUp" ? 1 : e.key === "ArrowDown" ? -1 : 0;
    if (way === 0) return;
    e.preventDefault();
    e.stopPropagation();
    const at = coats.findIndex((c) => c.name === name);
    if (e.altKey) return move(name, at + way);
    const other = coats[at + way];
    if (other) openCoat(finish.name, other.name);
    const buttons = list.current?.querySelectorAll<HTMLElement>("[data-coat]");
    buttons?.[coats.length - 1 - (at + way)]?.focus();
  };
  const [dragged, grab] = useDraggedRow<string>(list, {
    rows: "[data-coat]",
    over: (name, row) => {
      const to = coats.length - 1 - row;
      if (coats[to]?.name !== name) move(name, to);
    },
  });

  return (
    <ul
      ref={list}
      aria-label="Core sample, topmost coat first"
      className="mt-1 overflow-hidden rounded border border-line"
    >
      {shown.map((coat, i) => {
        const covers = coversOf(coat.name);
        return (
          <Stratum
            key={coat.name}
            name={coat.name}
            picture={pictureOf(coat.name)}
            covers={covers}
            height={THIN + (THICK - THIN) * Math.sqrt(covers ?? 0.25)}
            first={i === 0}
            muted={coat.muted ?? false}
            open={coat.name === open?.name}
            dragged={dragged === coat.name}
            onOpen={() => openCoat(finish.name, coat.name)}
            onKey={(e) => key(e, coat.name)}
            onGrab={() => grab(coat.name)}
            onMute={() =>
              edits.coats((all) => all.map((c) => (c.name === coat.name ? { ...c, muted: !c.muted } : c)))
            }
          />
        );
      })}
      <li
        className="relative flex items-end px-2 pb-1"
        style={{
          height: THICK,
          ...filled(pictureOf("")),
          clipPath: shown.length > 0 ? ragged("base") : undefined,
          marginTop: shown.length > 0 ? -6 : 0,
        }}
      >
        <Label>
          <b>Base</b> <span>{view?.base}</span>
        </Label>
      </li>
    </ul>
  );
}

const filled = (picture: string | null) =>
  picture
    ? { backgroundImage: `url(${picture})`, backgroundSize: "cover", backgroundPosition: "50% 50%" }
    : { background: "var(--sunk)" };

function Label({ children }: { children: React.ReactNode }) {
  return (
    <span className="max-w-full truncate rounded-[3px] bg-black/65 px-1.5 text-[#f4f4f4] text-xs leading-5">
      {children}
    </span>
  );
}

function Stratum(props: {
  name: string;
  picture: string | null;
  covers: number | null;
  height: number;
  first: boolean;
  muted: boolean;
  open: boolean;
  dragged: boolean;
  onOpen: () => void;
  onKey: (e: KeyboardEvent) => void;
  onGrab: () => void;
  onMute: () => void;
}) {
  const { name, picture, covers, height, first, muted, open, dragged } = props;
  return (
    <li
      className="relative"
      style={{
        height,
        ...filled(picture),
        clipPath: first ? undefined : ragged(name),
        marginTop: first ? 0 : -6,
        opacity: dragged ? 0.6 : 1,
        filter: muted ? "grayscale(1) brightness(0.6)" : undefined,
      }}
    >
      <button
        type="button"
        data-coat={name}
        aria-current={open}
        aria-label={`${name}${muted ? ", muted" : ""}${covers === null ? "" : `, covers ${share(covers)}`}`}
        onClick={props.onOpen}
        onKeyDown={props.onKey}
        onPointerDown={(e) => e.button === 0 && props.onGrab()}
        className={`flex size-full touch-none items-end px-2 pb-1 text-left ${open ? "border-l-4 border-ember" : "border-l-4 border-transparent"}`}
      >
        <Label>
          <b>{name}</b>
          {covers !== null && <span className="num"> {share(covers)}</span>}
        </Label>
      </button>
      <button
        type="button"
        aria-label={`Mute ${name}`}
        aria-pressed={muted}
        onClick={props.onMute}
        className="absolute right-1 bottom-1 grid size-5 place-items-center rounded-[3px] bg-black/65 text-[#f4f4f4] hover:bg-black"
      >
        {muted ? <EyeOff className="size-3" /> : <Eye className="size-3" />}
      </button>
    </li>
  );
}
