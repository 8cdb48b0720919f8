// Places by example: click what should be in and what should not, and choose from what explains it.
import { api } from "../../api/client";
import { say, useAsset, useRecipe } from "../../api/queries";
import type { Mask } from "../../api/types";
import { Button, Section } from "../../ui/parts";
import { useMaskEdits } from "./edit";
import { propose } from "./hands";
import { share } from "./legend";
import { setFinish, useFinish } from "./state";
import { Waiting } from "./waiting";

export function ExamplesSection({ mask }: { mask: Mask }) {
  const { hand, examples, proposals, asking } = useFinish();
  const asset = useAsset().data?.id;
  const [recipe] = useRecipe();
  const edits = useMaskEdits(mask.name);
  const on = hand === "examples";
  const take = () => {
    setFinish({ hand: on ? null : "examples" });
    // What every question needs is measured while the first places are picked.
    if (!on && asset !== undefined && recipe) api.proposals(asset, { recipe, examples: [] }).catch(say);
  };
  const change = (next: typeof examples) => {
    setFinish({ examples: next });
    propose(asset, recipe);
  };
  return (
    <Section
      title="By example"
      aside={
        <Button look={on ? "strong" : "plain"} aria-pressed={on} onClick={take}>
          Pick examples
        </Button>
      }
    >
      {(on || examples.length > 0) && (
        <>
          <p className="text-xs text-ink-3">
            Click a few places that should be in; Alt-click a few that should not.
          </p>
          <ul className="flex flex-wrap gap-1 py-1" aria-label="Examples">
            {examples.map((example, i) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: examples are told by their numbers
              <li key={i}>
                <button
                  type="button"
                  aria-label={`Remove example ${i + 1}`}
                  onClick={() => change(examples.filter((_, k) => k !== i))}
                  className={`num h-6 rounded border px-1.5 hover:line-through ${example.wanted ? "border-ink bg-ink text-sheet" : "border-ink"}`}
                >
                  {i + 1} {example.wanted ? "in" : "out"}
                </button>
              </li>
            ))}
          </ul>
          {asking && (
            <p className="text-ink-3">
              Looking for what they have in common…
              <Waiting for={asking} />
            </p>
          )}
          {proposals?.told && (
            <p role="alert" className="py-1 text-ochre-ink">
              {proposals.told}.
            </p>
          )}
          <ul aria-label="Proposals" className="flex flex-col gap-1">
            {proposals?.proposals.map((p) => (
              <li key={p.sentence}>
                <button
                  type="button"
                  onClick={() => {
                    edits.place({ terms: p.place.terms });
                    setFinish({ hand: null, term: 0 });
                  }}
                  className="w-full rounded border border-line px-2 py-1 text-left hover:bg-sunk"
                >
                  <span className="block">{p.sentence}</span>
                  <span className="num block text-xs text-ink-3">
                    explains {p.explained} of {p.examples}, covers {share(p.covers)}
                  </span>
                </button>
              </li>
            ))}
          </ul>
          {examples.length > 0 && (
            <Button look="quiet" onClick={() => setFinish({ examples: [], proposals: null })}>
              Forget the examples
            </Button>
          )}
        </>
      )}
    </Section>
  );
}
