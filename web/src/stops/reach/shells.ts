// Where the envelope lies over and under each corner of the low-poly.
import type * as THREE from "three";
import type { LowSide } from "../../stages/model/meshes";
import type { EnvelopeData } from "./envelope-data";

/** Rays start at `rise` over each corner and end at `sink` under it; the low-poly's shader moves shells there. */
export function setShells({ mesh, outward, resting }: LowSide, data: EnvelopeData | null) {
  const { geometry } = mesh;
  const rise = geometry.getAttribute("rise") as THREE.BufferAttribute;
  const sink = geometry.getAttribute("sink") as THREE.BufferAttribute;
  const whole = data && data.out.length === rise.count ? data : null;
  for (let corner = 0; corner < rise.count; corner++) {
    const [out, inward] = [whole?.out[corner] ?? 0, whole?.inward[corner] ?? 0];
    for (let axis = 0; axis < 3; axis++) {
      const at = corner * 3 + axis;
      const along = outward[at] ?? 0;
      const up = whole?.cage ? (whole.cage[at] ?? 0) - (resting[at] ?? 0) : along * out;
      rise.setComponent(corner, axis, up);
      sink.setComponent(corner, axis, -along * inward);
    }
  }
  rise.needsUpdate = true;
  sink.needsUpdate = true;
}
