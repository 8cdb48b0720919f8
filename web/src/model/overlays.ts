// What lies over the model for judging rays: the envelope's shells, needles, marks, and the ray of a traced texel.
import type * as THREE from "three";
import type { TracedRay } from "../api/types";
import type { EnvelopeData } from "../reach/envelope-data";
import { marksOf, needlesOf, rayOf } from "../reach/marks";

type Name = "needles" | "marks" | "ray";

/** Rays start at `rise` over each corner and end at `sink` under it; the low-poly's shader moves shells there. */
export function setShells(
  geometry: THREE.BufferGeometry,
  outward: Float32Array,
  resting: Float32Array,
  data: EnvelopeData | null,
) {
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

export class Overlays {
  private readonly groups = new Map<Name, THREE.Group>();

  constructor(private readonly scene: THREE.Scene) {}

  private put(name: Name, group: THREE.Group | null) {
    const old = this.groups.get(name);
    if (old) {
      this.scene.remove(old);
      for (const child of old.children as THREE.Mesh<THREE.BufferGeometry, THREE.Material>[]) {
        child.geometry.dispose();
        child.material.dispose();
      }
      this.groups.delete(name);
    }
    if (!group) return;
    group.renderOrder = 5;
    this.groups.set(name, group);
    this.scene.add(group);
  }

  /** `ratio`: pixels of the canvas to one of the page. */
  setEnvelope(
    data: EnvelopeData | null,
    show: { needles: boolean; marks: boolean; limits: boolean },
    ratio: number,
  ) {
    this.put("needles", data && show.needles && data.needles.length > 0 ? needlesOf(data, ratio) : null);
    this.put("marks", data && show.marks ? marksOf(data, show.limits, ratio) : null);
  }

  setRay(ray: TracedRay | null, ratio: number) {
    this.put("ray", ray && rayOf(ray, ratio));
  }

  dispose() {
    for (const name of ["needles", "marks", "ray"] as const) this.put(name, null);
  }
}
