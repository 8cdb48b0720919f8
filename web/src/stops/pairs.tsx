// Pairs: which parts of the sculpt each low-poly part may see.
import { useAsset, useRecipe } from "../api/queries";
import { Badge, FindingCard, Section, Segment, StopHead } from "../ui/parts";

export function PairsStop() {
  const asset = useAsset().data;
  const [recipe, edit] = useRecipe();
  if (!asset || !recipe) return null;
  return (
    <>
      <StopHead title="Pairs">
        Which parts of the sculpt each low-poly part may see, so that neighbours do not bleed.
      </StopHead>
      <Section>
        <Segment
          label="Pairing"
          wide
          options={[
            ["names", "By names"],
            ["all", "All see all"],
          ]}
          value={recipe.pairing}
          onChange={(pairing) => edit((r) => ({ ...r, pairing }))}
        />
        <p className="mt-1.5 text-xs text-ink-3">
          By names: _low and _high are taken off, and cap_rivets_high goes to cap_low. Pairing by hand and by
          shared space come here later.
        </p>
      </Section>
      <Section title="What pairs with what">
        {asset.pairs.length === 0 && <p className="text-ink-3">Bring in a low-poly and a sculpt first.</p>}
        <ul className="divide-y divide-line">
          {asset.pairs.map((p) => (
            <li key={p.number} className="flex gap-2 py-1.5">
              <Badge number={p.number} />
              <div className="min-w-0">
                <b className="block truncate">{p.low}</b>
                <span className="text-ink-2">{p.high.length > 0 ? p.high.join(", ") : "sees nothing"}</span>
              </div>
            </li>
          ))}
        </ul>
      </Section>
      {asset.pair_findings.length > 0 && (
        <Section title="Findings">
          <ul className="divide-y divide-line">
            {asset.pair_findings.map((f) => (
              <FindingCard key={f.reason} finding={f} />
            ))}
          </ul>
        </Section>
      )}
    </>
  );
}
