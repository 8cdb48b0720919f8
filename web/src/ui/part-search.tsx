// A part chosen by searching for its name: a list of thousands would be too long to read.
import { Command } from "cmdk";
import { Plus } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";

/** So many are listed at once; typing finds the others. */
const MOST = 50;

export function PartSearch(props: {
  label: string;
  words: string;
  parts: readonly string[];
  onChoose: (part: string) => void;
}) {
  const { label, words, parts, onChoose } = props;
  const [open, setOpen] = useState(false);
  const [typed, setTyped] = useState("");
  const wanted = typed.trim().toLowerCase();
  const found = parts.filter((p) => p.toLowerCase().includes(wanted));
  return (
    <Popover.Root
      open={open}
      onOpenChange={(now) => {
        setOpen(now);
        setTyped("");
      }}
    >
      <Popover.Trigger
        aria-label={`${words}: ${label}`}
        className="mt-1 flex h-6 items-center gap-1 rounded px-1 text-ink-2 hover:bg-sunk hover:text-ink"
      >
        <Plus className="size-3" /> {words}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={3}
          className="z-50 w-64 rounded border border-line bg-sheet text-ink shadow-lg"
        >
          <Command label={label} shouldFilter={false} loop>
            <Command.Input
              autoFocus
              value={typed}
              onValueChange={setTyped}
              placeholder="Search parts"
              className="h-8 w-full border-b border-line bg-transparent px-2 outline-none placeholder:text-ink-3"
            />
            <Command.List className="max-h-60 overflow-y-auto p-1">
              <Command.Empty className="p-2 text-ink-3">No results</Command.Empty>
              {found.slice(0, MOST).map((part) => (
                <Command.Item
                  key={part}
                  value={part}
                  className="flex min-h-6 items-center rounded px-2 data-[selected=true]:bg-sunk"
                  onSelect={() => {
                    setOpen(false);
                    onChoose(part);
                  }}
                >
                  <span className="truncate">{part}</span>
                </Command.Item>
              ))}
              {found.length > MOST && (
                <p className="px-2 py-1 text-xs text-ink-3">and {found.length - MOST} more</p>
              )}
            </Command.List>
          </Command>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
