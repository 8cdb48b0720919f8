// How far something is.
import { Progress } from "radix-ui";

/** `share`: 0 to 1; null while it cannot be told. */
export function Bar({ label, share }: { label: string; share: number | null }) {
  const percent = share === null ? null : Math.round(share * 100);
  return (
    <Progress.Root
      aria-label={label}
      value={percent}
      className="h-1.5 overflow-hidden rounded bg-sunk ring-1 ring-line ring-inset"
    >
      <Progress.Indicator
        className={`block h-full bg-ember ${percent === null ? "w-full animate-pulse" : ""}`}
        style={percent === null ? undefined : { width: `${percent}%` }}
      />
    </Progress.Root>
  );
}
