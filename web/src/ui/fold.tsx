// Something that is folded away until it is asked for.
import { ChevronRight } from "lucide-react";
import { Collapsible } from "radix-ui";
import type { ReactNode } from "react";

export function Fold(props: { title: string; startsOpen?: boolean; children: ReactNode }) {
  return (
    <Collapsible.Root defaultOpen={props.startsOpen} className="py-0.5">
      <Collapsible.Trigger className="group flex min-h-6 w-full items-center gap-1 rounded text-left text-ink-2 hover:text-ink">
        <ChevronRight className="size-3 transition-transform group-data-[state=open]:rotate-90" />
        {props.title}
      </Collapsible.Trigger>
      <Collapsible.Content className="pl-4">{props.children}</Collapsible.Content>
    </Collapsible.Root>
  );
}
