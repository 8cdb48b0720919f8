// The ray of a traced texel over the model, and the click that traces one.
import { useCallback } from "react";
import { useShownRun } from "../../api/queries";
import { useStageClick } from "../../stages/clicks";
import type { Hover } from "../../stages/hover";
import { type Scene, useDrawn } from "../../stages/model/scene";
import { rayOf } from "../reach/marks";
import { DisplacedOnModel } from "./displaced/layer";
import { BleedingOnModel, LookOnSheet } from "./look/layers";
import { MendsOnModel, MendsOnSheet } from "./mends/hands";
import { RegionOnModel, RegionOnSheet } from "./region/hands";
import { useTraced } from "./state";
import { traceAt, useTrace } from "./trace";

export function ReviewOnModel() {
  return (
    <>
      <TracedRay />
      <MendsOnModel />
      <RegionOnModel />
      <BleedingOnModel />
      <DisplacedOnModel />
    </>
  );
}

export function ReviewOnSheet() {
  return (
    <>
      <MendsOnSheet />
      <RegionOnSheet />
      <LookOnSheet />
    </>
  );
}

function TracedRay() {
  const run = useShownRun();
  const click = useCallback((place: Hover) => run && traceAt(run, place.sheet, place.uv), [run]);
  useStageClick(click);
  const number = useTraced((s) => s.ray);
  const ray = useTrace().data?.trace.rays[number] ?? null;
  const make = useCallback(({ viewer }: Scene) => ray && [rayOf(ray, viewer.ratio)], [ray]);
  useDrawn(make);
  return null;
}
