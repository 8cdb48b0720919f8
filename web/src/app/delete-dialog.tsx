// Asks before something is deleted for good, and tells what room that gives back.
import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import type { ReactNode } from "react";
import { toast } from "sonner";
import { say } from "../api/queries";
import type { Freed } from "../api/types";
import { Failed } from "../ui/failed";
import { Button, bytes } from "../ui/parts";

interface Props {
  title: string;
  children: ReactNode;
  /** What deleting it would free. */
  frees: () => Promise<Freed>;
  onDelete: () => Promise<Freed>;
  onClose: () => void;
}

export function DeleteDialog({ title, children, frees, onDelete, onClose }: Props) {
  const would = useQuery({ queryKey: ["frees", title], queryFn: frees, gcTime: 0 });
  const go = async () => {
    onClose();
    try {
      const freed = await onDelete();
      toast(`Deleted. ${bytes(freed.bytes)} freed.`);
    } catch (error) {
      say(error);
    }
  };
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Dialog.Content className="fixed top-1/3 left-1/2 z-50 w-96 -translate-x-1/2 rounded border border-line bg-sheet p-4 shadow-lg">
          <Dialog.Title className="text-base font-semibold">{title}</Dialog.Title>
          <Dialog.Description className="my-2 text-ink-2">
            {children} {would.data && `Frees ${bytes(would.data.bytes)} of disk space.`}
            {would.isPending && "Calculating disk space."}
          </Dialog.Description>
          <Failed of={would} />
          <div className="mt-3 flex justify-end gap-2">
            <Button look="quiet" onClick={onClose}>
              Cancel
            </Button>
            <Button onClick={go}>Delete</Button>
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
