// The settings of one map, with their units and what they do: a row of the table for each kind that has any.
import type { ComponentType } from "react";
import type { MapSettings } from "../../../api/types";
import { BentNormalRows, OcclusionRows, ThicknessRows } from "./occlusion";
import { ColorRows, IdRows } from "./regions";
import { CavityRows, CurvatureRows, DisplacementRows, NormalRows, PositionRows } from "./relief";
import type { RowsOf } from "./shared";

const ROWS: { [Kind in MapSettings["map"]]?: ComponentType<RowsOf<Kind>> } = {
  normal: NormalRows,
  ao: OcclusionRows,
  "bent-normal": BentNormalRows,
  curvature: CurvatureRows,
  cavity: CavityRows,
  displacement: DisplacementRows,
  id: IdRows,
  color: ColorRows,
  position: PositionRows,
  thickness: ThicknessRows,
};

export function MapRows(props: RowsOf<MapSettings["map"]>) {
  const Rows = ROWS[props.settings.map] as ComponentType<typeof props> | undefined;
  return Rows ? <Rows {...props} /> : <p className="text-xs text-ink-3">Nothing to set.</p>;
}
