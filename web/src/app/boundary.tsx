// Keeps a fault in one part of the page from taking the others with it.
import type { ReactNode } from "react";
import { ErrorBoundary } from "react-error-boundary";
import { Button } from "../ui/parts";

export function Guard({ name, again, children }: { name: string; again?: unknown; children: ReactNode }) {
  return (
    <ErrorBoundary
      resetKeys={[again]}
      fallbackRender={({ error, resetErrorBoundary }) => (
        <div role="alert" className="grid h-full place-content-center gap-2 bg-sheet p-4 text-center">
          <b>{name} stopped working</b>
          <p className="max-w-80 text-ink-2">{error instanceof Error ? error.message : String(error)}</p>
          <span>
            <Button onClick={resetErrorBoundary}>Try again</Button>
          </span>
        </div>
      )}
    >
      {children}
    </ErrorBoundary>
  );
}
