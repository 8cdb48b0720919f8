// A dialog over the page: a title for those who hear it, and what it holds.
import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

export function Panel(props: { open: boolean; title: string; onClose: () => void; children: ReactNode }) {
  return (
    <Dialog.Root open={props.open} onOpenChange={(open) => !open && props.onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-[8vh] left-1/2 z-50 max-h-[86vh] w-[600px] max-w-[92vw] -translate-x-1/2 overflow-auto rounded border border-line bg-sheet text-ink shadow-xl outline-none"
        >
          <Dialog.Title className="sr-only">{props.title}</Dialog.Title>
          {props.children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
