// The stretch energy as it falls while islands are relaxed.
import { useOpen } from "../../../api/open";
import { useProgress } from "../../../api/progress";

const WIDE = 296;
const HIGH = 34;
const EDGE = 3;

export function Falling() {
  const asset = useOpen((s) => s.asset);
  const relaxing = useProgress((s) => s.relaxing);
  const energies = relaxing?.asset === asset ? relaxing.energies : [];
  const [first, last] = [energies[0], energies.at(-1)];
  if (first === undefined || last === undefined || energies.length < 2) return null;
  // Down to 4, where lengths are kept: how much of what can be gained was gained.
  const span = Math.max(1e-9, first - 4);
  const at = (energy: number, i: number) => {
    const x = EDGE + ((WIDE - 2 * EDGE) * i) / (energies.length - 1);
    return `${x.toFixed(1)},${(EDGE + (HIGH - 2 * EDGE) * (1 - (energy - 4) / span)).toFixed(1)}`;
  };
  return (
    <figure className="mt-2" aria-label="Stretch energy while relaxing">
      <svg viewBox={`0 0 ${WIDE} ${HIGH}`} className="w-full rounded bg-sunk" aria-hidden>
        <polyline points={energies.map(at).join(" ")} className="fill-none stroke-ember" strokeWidth="1.5" />
      </svg>
      <figcaption className="flex justify-between text-xs text-ink-3">
        <span>Relaxed: stretch energy</span>
        <span className="num">
          {first.toFixed(4)} to {last.toFixed(4)}
        </span>
      </figcaption>
    </figure>
  );
}
