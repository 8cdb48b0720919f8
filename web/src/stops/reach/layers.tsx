// Rays on the model: the envelope's shells, needles, marks where it falls short, where rays are plumb, and the brush.
import { useCallback, useEffect, useMemo } from "react";
import * as THREE from "three";
import { useOpen } from "../../api/open";
import { keepNow } from "../../api/queries";
import { useHidden } from "../../stages/hidden";
import { indexOf } from "../../stages/mesh-data";
import { BrushHand } from "../../stages/model/brush-hand";
import { edgesOf, flat, linesOf, skinOf } from "../../stages/model/lines";
import { useMaskOnModel } from "../../stages/model/mask";
import { type Scene, useDrawn, useScene } from "../../stages/model/scene";
import type { Point } from "../../stages/view";
import { ToolToggles } from "../../ui/stage-tools";
import { beginStroke, brushSize, endStroke, goOn, turns } from "./brush";
import { useEdit } from "./edit";
import { useEnvelope, useLive, withStroke } from "./live";
import { marksOf, needlesOf } from "./marks";
import { setShells } from "./shells";
import { setReach, toggleNeedles, useReach } from "./state";

const useAtReach = () => useOpen((s) => s.stop === "reach");

export function RaysOnModel() {
  const atReach = useAtReach();
  const brush = useReach((s) => s.brush);
  return (
    <>
      <Shells />
      <Needles />
      <Marks />
      {atReach && turns(brush) && <PlumbMask />}
      {atReach && brush && <ReachBrush />}
    </>
  );
}

/** The outer envelope in ember; the inner one in ink, drawn through the surface it lies under. */
const OUTER = {
  lift: new THREE.Vector2(1, 0),
  skin: new THREE.Vector4(0.9, 0.42, 0.18, 0.1),
  edge: new THREE.Vector4(1, 0.62, 0.42, 0.6),
  depthTest: true,
};
const INNER = {
  lift: new THREE.Vector2(0, 1),
  skin: new THREE.Vector4(0, 0, 0, 0),
  edge: new THREE.Vector4(0.1, 0.08, 0.06, 0.22),
  depthTest: false,
};

function shellOf({ low }: Scene, hidden: ReadonlySet<string>, look: typeof OUTER) {
  if (!low) return [];
  const { geometry } = low.mesh;
  const corners = indexOf(low.data, hidden);
  const edges = linesOf(geometry, edgesOf(corners), look.edge, look.depthTest);
  const skin = new THREE.Mesh(skinOf(geometry, corners), flat(look.skin, look.depthTest));
  skin.frustumCulled = false;
  for (const drawn of [skin, edges]) drawn.material.uniforms.lifts = { value: look.lift };
  return [skin, edges];
}

function Shells() {
  const { envelope: shown, inner } = useReach();
  const data = useEnvelope();
  const scene = useScene();
  useEffect(() => {
    if (scene?.low) setShells(scene.low, data);
    scene?.viewer.draw();
  }, [scene, data]);
  const there = data !== null;
  const hidden = useHidden().low;
  const outer = useCallback(
    (s: Scene) => (shown && there ? shellOf(s, hidden, OUTER) : null),
    [shown, there, hidden],
  );
  useDrawn(outer);
  const inward = useCallback(
    (s: Scene) => (shown && inner && there ? shellOf(s, hidden, INNER) : null),
    [shown, inner, there, hidden],
  );
  useDrawn(inward);
  return null;
}

function Needles() {
  const atReach = useAtReach();
  const on = useReach((s) => s.needles > 0);
  const data = useEnvelope();
  const make = useCallback(
    ({ viewer }: Scene) =>
      atReach && on && data && data.needles.length > 0 ? [needlesOf(data, viewer.ratio)] : null,
    [atReach, on, data],
  );
  useDrawn(make);
  return null;
}

function Marks() {
  const { envelope: shown, limits } = useReach();
  const data = useEnvelope();
  const make = useCallback(
    ({ viewer }: Scene) => (shown && data ? [marksOf(data, limits, viewer.ratio)] : null),
    [shown, limits, data],
  );
  useDrawn(make);
  return null;
}

/** Where rays are plumb, hatched over the surface while a brush for directions is in hand. */
function PlumbMask() {
  const plumb = useLive((s) => s.plumb);
  const wanted = useEnvelope()?.header.plumb ?? false;
  useMaskOnModel(wanted ? plumb : null, "hatched");
  return null;
}

/** The brush in hand. Each stroke is an undo step of its own: what is still waiting is kept first. */
function ReachBrush() {
  const edit = useEdit();
  const brushing = useMemo(
    () => ({
      size: brushSize,
      begin: (point: Point, pressure: number) => {
        keepNow();
        beginStroke(point, pressure);
      },
      goOn,
      end: () => {
        const stroke = endStroke();
        if (!stroke) return;
        edit((r) => withStroke(r, stroke));
        keepNow();
      },
    }),
    [edit],
  );
  return <BrushHand brushing={brushing} />;
}

export function RayTools() {
  const atReach = useAtReach();
  const envelope = useReach((s) => s.envelope);
  const needles = useReach((s) => s.needles > 0);
  const toggles = [
    { label: "Envelope", on: envelope, onChange: (v: boolean) => setReach({ envelope: v }) },
    { label: "Needles", on: needles, onChange: toggleNeedles },
  ];
  const finishing = useOpen((s) => s.stop === "finish");
  if (finishing) return null;
  return <ToolToggles toggles={atReach ? toggles : toggles.slice(0, 1)} />;
}
