// Tools of which one at most is in hand: pressed again, it is put down.
export function ToolRow<T extends string>(props: {
  label: string;
  /** Id, name, and what it does. */
  tools: readonly (readonly [T, string, string])[];
  taken: T | null;
  onTake: (tool: T | null) => void;
}) {
  const { label, tools, taken, onTake } = props;
  return (
    <div role="group" aria-label={label} className="flex rounded bg-sunk p-0.5">
      {tools.map(([tool, name, hint]) => (
        <button
          key={tool}
          type="button"
          title={hint}
          aria-pressed={taken === tool}
          onClick={() => onTake(taken === tool ? null : tool)}
          className="h-5.5 grow rounded-[3px] px-1.5 text-ink-2 hover:text-ink aria-pressed:bg-ink aria-pressed:font-semibold aria-pressed:text-sheet"
        >
          {name}
        </button>
      ))}
    </div>
  );
}
