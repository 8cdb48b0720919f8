// The suffixes that tell low from high; what they pair is seen at once below.
import { useState } from "react";
import { useRecipe } from "../../api/queries";
import type { Endings } from "../../api/types";
import { Section } from "../../ui/parts";

const SIDES: readonly (readonly [keyof Endings, string])[] = [
  ["low", "Low"],
  ["high", "Sculpt"],
  ["cage", "Cage"],
];

export function EndingsSection() {
  return (
    <Section title="Name suffixes" aside={<span className="text-xs text-ink-3">kept for new assets</span>}>
      {SIDES.map(([side, label]) => (
        <EndingsRow key={side} side={side} label={label} />
      ))}
      <p className="text-xs text-ink-3">
        Separate with spaces. Case, dots, dashes and underscores do not matter. Imported files are sorted by
        them too.
      </p>
    </Section>
  );
}

function EndingsRow({ side, label }: { side: keyof Endings; label: string }) {
  const [recipe, edit] = useRecipe();
  const kept = recipe?.endings[side].join(" ") ?? "";
  const [typed, setTyped] = useState<string | null>(null);
  const put = (text: string) => {
    setTyped(text);
    const words = text.split(/[\s,]+/).filter((w) => w !== "");
    edit((r) => ({ ...r, endings: { ...r.endings, [side]: words } }));
  };
  return (
    <label className="flex items-center gap-2 py-0.5">
      <span className="w-16 text-ink-2">{label}</span>
      <input
        aria-label={`${label} suffixes`}
        value={typed ?? kept}
        onChange={(e) => put(e.target.value)}
        onBlur={() => setTyped(null)}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        className="num h-6 min-w-0 grow rounded bg-sunk px-1.5 outline-none focus:ring-1 focus:ring-ember"
      />
    </label>
  );
}
