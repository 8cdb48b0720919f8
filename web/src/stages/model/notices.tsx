// What the model stage says in words: the grid's size, a thinned sculpt, and why there is nothing to see.
import { StageMessage } from "../../ui/stage-tools";
import { useDisplay } from "../use-display";
import { useView } from "../view";
import { cellOf } from "./ground";

/** What a cell of the ground's grid measures. */
export function GridNote() {
  const low = useDisplay("low").data?.header;
  const header = useDisplay("high").data?.header;
  const of = low ?? header;
  if (!of) return null;
  const size = Math.hypot(...of.low_corner.map((c, axis) => (of.high_corner[axis] ?? c) - c));
  const cell = Number(cellOf(size).toPrecision(1));
  return (
    <span>
      Grid: {cell} {cell === 1 ? "unit" : "units"}
    </span>
  );
}

/** Says so while a large sculpt is drawn thinned. */
export function StandIn() {
  const header = useDisplay("high").data?.header;
  const look = useView((s) => s.look);
  const thousands = (n: number) => (n >= 1e6 ? `${(n / 1e6).toFixed(2)}M` : `${Math.round(n / 1e3)}k`);
  const thinned = header && header.shown_triangles < header.real_triangles;
  if (!thinned || !["sculpt", "wipe", "beside"].includes(look)) return null;
  return (
    <span className="rounded bg-(--stage-tool) px-2 py-0.5">
      The sculpt is drawn with {thousands(header.shown_triangles)} of {thousands(header.real_triangles)}{" "}
      triangles. Bakes use all.
    </span>
  );
}

export function Notices({ failed }: { failed: boolean }) {
  const look = useView((s) => s.look);
  const low = useDisplay("low");
  const high = useDisplay("high");
  const loading = low.isFetching || (high.isFetching && look !== "low" && look !== "baked");
  if (failed)
    return (
      <StageMessage title="This browser cannot draw 3D">
        Maps and bakes work without it. Turn on WebGL to see the model.
      </StageMessage>
    );
  if (low.isError)
    return <StageMessage title="The low-poly cannot be shown">{low.error.message}</StageMessage>;
  if (high.isError && (!low.data || look !== "low"))
    return <StageMessage title="The sculpt cannot be shown">{high.error.message}</StageMessage>;
  if (low.data) return null;
  if (loading) return <StageMessage title="Reading the meshes" busy />;
  if (high.data) return null;
  return (
    <StageMessage title="No model yet">
      Import a low-poly and a sculpt at the Meshes stop, or drop files here.
    </StageMessage>
  );
}
