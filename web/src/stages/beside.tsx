// The line between two halves of a stage, and what stands in each.
export function Beside({ sides }: { sides: readonly [string, string] | null }) {
  return (
    <div className="pointer-events-none absolute inset-x-0 top-10 bottom-0 z-10">
      <i className="absolute inset-y-0 left-1/2 w-px bg-stage-line" />
      {sides?.map((side, i) => (
        <b
          key={side}
          className={`absolute top-2 -translate-x-1/2 text-xs text-on-stage [text-shadow:0_0_3px_#000] ${i === 0 ? "left-1/4" : "left-3/4"}`}
        >
          {side}
        </b>
      ))}
    </div>
  );
}
