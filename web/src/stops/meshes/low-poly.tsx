// A low-poly made here of the sculpt: by how many triangles it has, by how far it may be off, or as a coarser level of the sculpt.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../api/client";
import { say, settled, useActions, useAsset } from "../../api/queries";
import type { Axis, LowPolyOrder } from "../../api/types";
import { show } from "../../stages/view";
import { Choice } from "../../ui/choice";
import { Fold } from "../../ui/fold";
import { NumberField } from "../../ui/number-field";
import { Button, count, LinkButton, Row } from "../../ui/parts";
import { Tick } from "../../ui/tick";
import { setMeshes } from "./state";

type How = "triangles" | "error" | `level-${number}`;
/** Edges are kept from here on, degrees. */
const SHARP = 40;

const AXES: readonly (readonly [Axis | "none", string])[] = [
  ["none", "no"],
  ["x", "across X"],
  ["y", "across Y"],
  ["z", "across Z"],
];

export function LowPolySection({ made }: { made: boolean }) {
  const asset = useAsset().data;
  if (!asset?.meshes.some((mesh) => mesh.role === "high")) return null;
  return (
    <div className="mt-1.5">
      <Fold
        title={made ? "Make another low-poly of the sculpt" : "Make a low-poly of the sculpt"}
        startsOpen={!made}
      >
        <LowPolyForm id={asset.id} made={made} />
      </Fold>
    </div>
  );
}

function LowPolyForm({ id, made }: { id: number; made: boolean }) {
  const asset = useAsset().data;
  const { put, bake } = useActions();
  const [how, setHow] = useState<How>("triangles");
  const [triangles, setTriangles] = useState(1000);
  const [error, setError] = useState<number | null>(null);
  const [sharp, setSharp] = useState<number | null>(null);
  const [symmetric, setSymmetric] = useState<Axis | "none">("none");
  const [making, setMaking] = useState(false);
  const [told, setTold] = useState<string[]>([]);
  const sculpts = asset?.meshes.filter((mesh) => mesh.role === "high") ?? [];
  const levels = useQuery({
    queryKey: ["levels", id, ...sculpts.map((mesh) => mesh.hash)],
    queryFn: () => api.levels(id),
  });
  if (!asset) return null;
  const most = sculpts.reduce((sum, mesh) => sum + mesh.summary.triangles, 0);
  const diagonal = Math.max(
    1e-6,
    ...sculpts.map((mesh) =>
      Math.hypot(...mesh.summary.low_corner.map((low, i) => (mesh.summary.high_corner[i] ?? low) - low)),
    ),
  );
  const digits = Math.max(0, 4 - Math.floor(Math.log10(diagonal)));
  const off = error ?? Number((diagonal / 500).toFixed(digits));
  const faces = levels.data?.faces ?? [];
  const options: (readonly [How, string])[] = [
    ["triangles", "to a number of triangles"],
    ["error", "by how far it may be off"],
    ...faces.map((n, i) => [`level-${i + 1}`, `level -${i + 1}: ${count(n)} faces`] as const),
  ];
  const to = (): LowPolyOrder["to"] => {
    if (how === "triangles") return { triangles };
    if (how === "error") return { error: off };
    return { level: Number(how.slice("level-".length)) };
  };
  const make = async () => {
    setMaking(true);
    try {
      await settled();
      const order = { to: to(), sharp, symmetric: symmetric === "none" ? null : symmetric };
      const view = await api.makeLowPoly(id, order);
      setTold(view.told ?? []);
      put(view);
      // Maps of the runs so far lie on other UVs.
      if (asset.run_count > 0) show({ look: "low" });
      await bake("proof");
    } catch (fault) {
      say(fault);
    } finally {
      setMaking(false);
    }
  };
  const byLevel = how.startsWith("level");
  return (
    <div role="group" aria-label="Low-poly of the sculpt">
      <Choice
        label="Reduce"
        hint={levels.data?.none ? `No coarser level: ${levels.data.none}.` : undefined}
        value={how}
        options={options}
        onChange={setHow}
      />
      {how === "triangles" && (
        <Row label="Triangles" hint={`At most; the sculpt has ${count(most)}.`}>
          <NumberField
            label="Triangles at most"
            value={triangles}
            min={4}
            max={most}
            step={10}
            onChange={setTriangles}
          />
        </Row>
      )}
      {how === "error" && (
        <Row label="Off by at most" hint="From the sculpt, in scene units.">
          <NumberField
            label="Off by at most"
            value={off}
            min={10 ** -digits}
            max={diagonal}
            step={10 ** -digits}
            digits={digits}
            onChange={setError}
          />
        </Row>
      )}
      {!byLevel && (
        <>
          <Choice
            label="Symmetric"
            hint="The half of rising coordinates stands on both sides of the origin."
            value={symmetric}
            options={AXES}
            onChange={setSymmetric}
          />
          <Tick checked={sharp !== null} onChange={(on) => setSharp(on ? SHARP : null)}>
            Keep sharp edges
          </Tick>
          {sharp !== null && (
            <Row
              label="Sharper than"
              hint="They shade hard, too. For hard surfaces: on rough ones nearly all edges are sharp."
            >
              <NumberField
                label="Sharper than"
                value={sharp}
                unit="°"
                min={1}
                max={180}
                step={1}
                onChange={setSharp}
              />
            </Row>
          )}
        </>
      )}
      <Button className="mt-1 w-full" disabled={making} onClick={make}>
        {making ? "Making it…" : "Make the low-poly"}
      </Button>
      {told.map((line) => (
        <p key={line} role="status" className="mt-1 text-xs text-ink-2">
          {line}
        </p>
      ))}
      {told.length > 0 && (
        <LinkButton onClick={() => setMeshes({ layout: "off" })}>
          Show on the model where it is off
        </LinkButton>
      )}
      <p className="mt-1 text-xs text-ink-3">
        It is unwrapped and packed, and a proof is baked; every step can be removed.{" "}
        {made ? "It replaces the low-poly; undo brings that back." : ""}
      </p>
    </div>
  );
}
