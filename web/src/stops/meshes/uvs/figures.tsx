// The layout in figures, before and after its steps.
import type { UvSummary } from "../../../api/types";

export function Figures({ before, after }: { before: UvSummary | null; after: UvSummary }) {
  const energy = (s: UvSummary) => (s.energy == null ? "a face is flipped" : s.energy.toFixed(4));
  const percent = (s: UvSummary) => `${(100 * s.covered).toFixed(1)} %`;
  const rows: readonly (readonly [string, (s: UvSummary) => string])[] = [
    ["Islands", (s) => String(s.islands)],
    ["Stretch energy (4 is none)", energy],
    ["Worst island", (s) => (s.worst_energy == null ? "–" : s.worst_energy.toFixed(4))],
    ["Flipped faces", (s) => String(s.flipped)],
    ["Sheet covered", percent],
  ];
  return (
    <table aria-label="UVs in figures" className="mt-2 w-full">
      <thead>
        <tr className="text-xs text-ink-3">
          <th className="text-left font-normal">Layout</th>
          {before && <th className="text-right font-normal">file</th>}
          <th className="text-right font-normal">now</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([label, of]) => (
          <tr key={label}>
            <th scope="row" className="text-left font-normal text-ink-2">
              {label}
            </th>
            {before && <td className="num text-right text-ink-3">{of(before)}</td>}
            <td className="num text-right">{of(after)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
