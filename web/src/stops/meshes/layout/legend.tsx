// What the colours of a look at the layout mean, in the user's units, on the stage where they are.
import { useLowOff, useUvReport } from "../../../api/queries";
import { useMeshes } from "../state";
import { useBefore } from "./before";
import { css, DENSITY_SPAN, type LayoutLook } from "./looks";

const figure = (x: number) => (x >= 100 ? x.toFixed(0) : x >= 10 ? x.toFixed(1) : x.toFixed(2));

export function LayoutLegend() {
  const layout = useMeshes((s) => s.layout);
  const target = useMeshes((s) => s.target);
  const report = useUvReport(layout !== null).data;
  const compared = useBefore() !== null;
  if (!layout || !report) return null;
  const aim = target ?? report.median_density * report.size;
  return (
    <figure
      aria-label="What the colours mean"
      className="max-w-72 rounded bg-(--stage-tool) px-2 py-1.5 text-xs text-on-stage"
    >
      <Meaning
        layout={layout}
        aim={aim}
        mirrored={report.islands.filter((i) => i.mirrored).length}
        compared={compared}
      />
    </figure>
  );
}

function Meaning(props: { layout: LayoutLook; aim: number; mirrored: number; compared: boolean }) {
  const { layout, aim, mirrored, compared } = props;
  if (layout === "density")
    return (
      <>
        <b>Texels per scene unit</b>
        <i className="mt-1 block h-2.5 w-60 rounded-[2px]" style={{ background: css("density") }} />
        <span className="num flex w-60 justify-between">
          {[-DENSITY_SPAN, -1, 0, 1, DENSITY_SPAN].map((power) => (
            <span key={power}>{figure(aim * 2 ** power)}</span>
          ))}
        </span>
        <span>Violet: too few, soft. Light: the target. Ember: more than needed.</span>
      </>
    );
  if (layout === "off") return <OffTheSculpt />;
  if (layout === "stretch")
    return (
      <>
        <b>Longest over shortest side of a texel on the model</b>
        <i className="mt-1 block h-2.5 w-60 rounded-[2px]" style={{ background: css("stretch") }} />
        <span className="num flex w-60 justify-between">
          <span>1 (square)</span>
          <span>2</span>
          <span>4 or more</span>
        </span>
      </>
    );
  const words: Record<Exclude<LayoutLook, "density" | "stretch" | "off">, string> = {
    checker:
      "Each cell is 1/16 of the sheet. Even sizes mean even density. Letters that read backwards mean a mirrored island.",
    facing:
      mirrored === 0
        ? "No island is mirrored."
        : `Hatched ochre: mirrored, ${mirrored} ${mirrored === 1 ? "island" : "islands"}. Green: as seen from outside.`,
    overlap: "Hatched red: faces that share texels with others. Grey: alone.",
    islands: "A colour per island; dark lines are seams.",
    blur: compared
      ? "Lines two texels wide at the target density, as the texels of each layout will hold them; faint lines blur."
      : "Lines two texels wide at the target density. Right of the divider: as texels will hold them; faint lines blur.",
  };
  return <span>{words[layout]}</span>;
}

/** How far the sculpt lies from the low-poly. */
function OffTheSculpt() {
  const off = useLowOff(true);
  if (!off.data) return <span>{off.error ? off.error.message : "Measuring…"}</span>;
  const { mean, p99, max } = off.data;
  return (
    <>
      <b>The sculpt's distance from each face, scene units</b>
      <i className="mt-1 block h-2.5 w-60 rounded-[2px]" style={{ background: css("off") }} />
      <span className="num flex w-60 justify-between">
        <span>0</span>
        <span>{max.toPrecision(3)}</span>
      </span>
      <span className="num">
        mean {mean.toPrecision(3)}, 99 % within {p99.toPrecision(3)}
      </span>
    </>
  );
}
