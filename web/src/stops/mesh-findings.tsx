// What is wrong with the meshes, the faults first, and all safe fixes at once.
import { useAsset, useRecipe, useUvReport } from "../api/queries";
import type { Finding, Severity } from "../api/types";
import { meshFindings } from "../shell/trail";
import { FindingCard, withFix } from "../ui/finding-card";
import { FindingList } from "../ui/finding-list";
import { Button, Section } from "../ui/parts";

const ORDER: Record<Severity, number> = { fault: 0, warning: 1, note: 2 };

export function MeshFindings() {
  const asset = useAsset().data;
  const [, edit] = useRecipe();
  const tight = useUvReport().data?.findings ?? [];
  const lowFile = asset?.recipe.low[0]?.file ?? null;
  const exceptions = asset?.recipe.exceptions ?? [];
  const marked = tight.map((f): Finding => {
    const own = exceptions.find((e) => e.kind === f.kind && (e.part ?? null) === f.place.part);
    return { ...f, allowed: own?.note ?? null, place: { ...f.place, file: lowFile } };
  });
  const all = asset ? [...meshFindings(asset), ...marked] : [];
  const rank = (f: Finding) => (f.allowed ? 3 : ORDER[f.severity]);
  const findings = all.sort((a, b) => rank(a) - rank(b));
  const open = findings.filter((f) => !f.allowed);
  const offered = open.filter((f) => f.fixes && f.fixes.length > 0);
  // Room on the sheet is looked for last, when everything else lies where it belongs.
  const others = offered.filter((f) => f.fixes?.[0]?.step.step !== "lay-out");
  const fixable = others.length > 0 ? others : offered;
  const lows = new Set(asset?.recipe.low.map((s) => s.file));
  const fixAll = () =>
    edit((recipe) => {
      const taken = new Set<string>();
      return fixable.reduce((r, finding) => {
        const fix = finding.fixes?.[0];
        const key = JSON.stringify([finding.place.file, fix?.step]);
        if (!fix || taken.has(key)) return r;
        taken.add(key);
        return withFix(r, finding, fix);
      }, recipe);
    });
  return (
    <Section title="Findings" aside={<span className="num text-ink-3">{open.length}</span>}>
      {findings.length === 0 && (
        <p className="text-ink-3">
          {asset?.meshes.length ? "Nothing is wrong with these meshes." : "Checked as they come in."}
        </p>
      )}
      {fixable.length > 1 && (
        <div className="mb-1">
          <Button className="w-full" onClick={fixAll}>
            Mend {fixable.length} of them here
          </Button>
          <p className="mt-1 text-xs text-ink-3">
            Takes the first way offered of each. Files stay as they are; every step stands with its file below
            and can be taken back.
          </p>
        </div>
      )}
      <FindingList
        findings={findings}
        card={(f) => (
          <FindingCard
            key={f.kind + f.place.part + f.reason}
            finding={f}
            onLow={lows.has(f.place.file ?? "")}
            may
          />
        )}
      />
    </Section>
  );
}
