// A word about something, while it is pointed at or has the focus.
import { Tooltip } from "radix-ui";
import type { ReactElement } from "react";

export const TipProvider = Tooltip.Provider;

export function Tip({ text, children }: { text: string; children: ReactElement }) {
  return (
    <Tooltip.Root>
      <Tooltip.Trigger asChild>{children}</Tooltip.Trigger>
      <Tooltip.Portal>
        <Tooltip.Content
          sideOffset={4}
          collisionPadding={8}
          className="z-50 max-w-72 rounded bg-ink px-2 py-1 text-xs text-sheet shadow"
        >
          {text}
        </Tooltip.Content>
      </Tooltip.Portal>
    </Tooltip.Root>
  );
}
