// Needles, marks and the traced ray over the model. Each outcome has a colour and a shape: a hit ends in a disc, a miss is dashed and
// ends in a ring, a back face in a square, another part in a diamond; marks of the envelope are arrows and crosses.
import * as THREE from "three";
import type { TracedRay } from "../../api/types";
import type { EnvelopeData } from "./envelope-data";

const POINT_VERTEX = /* glsl */ `
  attribute vec3 color; attribute float shape; attribute float size; uniform float ratio;
  varying vec3 vColor; varying float vShape;
  void main() {
    vColor = color; vShape = shape;
    gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0);
    gl_PointSize = size * ratio;
  }
`;
const POINT_FRAGMENT = /* glsl */ `
  varying vec3 vColor; varying float vShape;
  void main() {
    vec2 p = gl_PointCoord * 2.0 - 1.0;
    float r = length(p), d = abs(p.x) + abs(p.y), s = max(abs(p.x), abs(p.y));
    float x = min(abs(p.x - p.y), abs(p.x + p.y)), plus = min(abs(p.x), abs(p.y));
    bool on = vShape < 0.5 ? r < 0.62 : vShape < 1.5 ? r < 0.8 && r > 0.42 : vShape < 2.5 ? s < 0.58
      : vShape < 3.5 ? d < 0.86 : vShape < 4.5 ? p.y < 0.6 && abs(p.x) < (p.y + 0.75) * 0.6
      : vShape < 5.5 ? p.y > -0.6 && abs(p.x) < (0.75 - p.y) * 0.6 : vShape < 6.5 ? x < 0.3 && s < 0.8
      : plus < 0.22 && s < 0.8;
    bool rim = r < 1.0 && !on;
    if (!on) { if (rim && vShape > 3.5) { gl_FragColor = vec4(0.1, 0.08, 0.06, 0.35); return; } discard; }
    gl_FragColor = vec4(vColor, 1.0);
  }
`;
const LINE_VERTEX = /* glsl */ `
  attribute vec3 color; varying vec3 vColor;
  void main() { vColor = color; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }
`;
const LINE_FRAGMENT = /* glsl */ `varying vec3 vColor; void main() { gl_FragColor = vec4(vColor, 0.92); }`;

type Colour = readonly [number, number, number];

/** Colours of needles by fate, in the order of the wire; the stage's legend shows the same. */
export const NEEDLE_COLOURS = ["#fafafa", "#ffd166", "#c4b5ff", "#ff9e86"] as const;
/** Colours of marks by kind. */
export const MARK_COLOURS = ["#ffb020", "#7fd0ff", "#ff7d66", "#ff7d66"] as const;
/** Colours of places where the fit was limited. */
export const LIMIT_COLOURS = ["#f2e6c9", "#b9e3b4", "#ff7d66"] as const;
const MARK_SHAPES = [4, 5, 6, 7];
const LIMIT_SHAPES = [3, 2, 6];

const rgb = (hex: string): Colour => {
  const n = Number.parseInt(hex.slice(1), 16);
  return [(n >> 16) / 255, ((n >> 8) & 255) / 255, (n & 255) / 255];
};

class Drawn {
  private ends: number[] = [];
  private endColours: number[] = [];
  private dots: number[] = [];
  private dotColours: number[] = [];
  private shapes: number[] = [];
  private sizes: number[] = [];

  line(a: ArrayLike<number>, b: ArrayLike<number>, colour: Colour, dashes = 0) {
    const pieces = dashes > 0 ? dashes : 1;
    for (let i = 0; i < pieces; i++) {
      const [from, to] = dashes > 0 ? [i / pieces, (i + 0.5) / pieces] : [0, 1];
      for (const share of [from, to])
        for (let axis = 0; axis < 3; axis++)
          this.ends.push((a[axis] ?? 0) + ((b[axis] ?? 0) - (a[axis] ?? 0)) * share);
      this.endColours.push(...colour, ...colour);
    }
  }

  dot(at: ArrayLike<number>, colour: Colour, shape: number, size: number) {
    this.dots.push(at[0] ?? 0, at[1] ?? 0, at[2] ?? 0);
    this.dotColours.push(...colour);
    this.shapes.push(shape);
    this.sizes.push(size);
  }

  build(depthTest: boolean, ratio: { value: number }): THREE.Group {
    const group = new THREE.Group();
    const attribute = (geometry: THREE.BufferGeometry, name: string, values: number[], size: number) =>
      geometry.setAttribute(name, new THREE.BufferAttribute(new Float32Array(values), size));
    const look = { transparent: true, depthTest, depthWrite: false };
    const lines = new THREE.BufferGeometry();
    attribute(lines, "position", this.ends, 3);
    attribute(lines, "color", this.endColours, 3);
    const lineLook = { ...look, vertexShader: LINE_VERTEX, fragmentShader: LINE_FRAGMENT };
    group.add(new THREE.LineSegments(lines, new THREE.ShaderMaterial(lineLook)));
    const dots = new THREE.BufferGeometry();
    attribute(dots, "position", this.dots, 3);
    attribute(dots, "color", this.dotColours, 3);
    attribute(dots, "shape", this.shapes, 1);
    attribute(dots, "size", this.sizes, 1);
    const uniforms = { ratio };
    const dotLook = { ...look, uniforms, vertexShader: POINT_VERTEX, fragmentShader: POINT_FRAGMENT };
    group.add(new THREE.Points(dots, new THREE.ShaderMaterial(dotLook)));
    for (const child of group.children) child.frustumCulled = false;
    return group;
  }
}

export function needlesOf(envelope: EnvelopeData, ratio: { value: number }): THREE.Group {
  const drawn = new Drawn();
  const shapes = [0, 1, 2, 3];
  for (let i = 0; i + 9 < envelope.needles.length; i += 10) {
    const n = envelope.needles.subarray(i, i + 10);
    const fate = n[9] ?? 0;
    const colour = rgb(NEEDLE_COLOURS[fate] ?? NEEDLE_COLOURS[0]);
    const [start, end] = [n.subarray(0, 3), n.subarray(6, 9)];
    drawn.line(start, end, colour, fate === 1 ? 4 : 0);
    drawn.dot(end, colour, shapes[fate] ?? 0, fate === 0 ? 5 : 8);
  }
  return drawn.build(true, ratio);
}

export function marksOf(envelope: EnvelopeData, limits: boolean, ratio: { value: number }): THREE.Group {
  const drawn = new Drawn();
  if (limits)
    for (let i = 0; i + 3 < envelope.spots.length; i += 4) {
      const why = envelope.spots[i + 3] ?? 0;
      drawn.dot(
        envelope.spots.subarray(i, i + 3),
        rgb(LIMIT_COLOURS[why] ?? LIMIT_COLOURS[0]),
        LIMIT_SHAPES[why] ?? 3,
        9,
      );
    }
  for (let i = 0; i + 4 < envelope.marks.length; i += 5) {
    const kind = envelope.marks[i + 3] ?? 0;
    drawn.dot(
      envelope.marks.subarray(i, i + 3),
      rgb(MARK_COLOURS[kind] ?? MARK_COLOURS[0]),
      MARK_SHAPES[kind] ?? 4,
      13,
    );
  }
  return drawn.build(true, ratio);
}

/** The ray of a traced texel: its whole course, and each surface it crosses. */
export function rayOf(ray: TracedRay, ratio: { value: number }): THREE.Group {
  const drawn = new Drawn();
  const taken = ray.crossings.find((c) => c.fate === "taken");
  const white = rgb("#ffffff");
  drawn.line(ray.start, taken?.point ?? ray.end, white);
  if (taken) drawn.line(taken.point, ray.end, rgb("#d0d0d0"), 6);
  drawn.dot(ray.start, rgb("#f2702a"), 2, 11);
  drawn.dot(ray.surface, rgb("#f2702a"), 1, 11);
  for (const crossing of ray.crossings) {
    const fate = { taken: 0, "back-face": 2, "other-pair": 3, behind: 1 }[crossing.fate];
    drawn.dot(crossing.point, rgb(NEEDLE_COLOURS[fate] ?? "#ffffff"), fate, fate === 0 ? 12 : 10);
  }
  return drawn.build(false, ratio);
}
