// The eye on the model: where it stands, how hands turn it, and what it frames.
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";

/** A model is flat that is thinner than this share of its longest side; and how squarely one is looked at, as a cosine. */
const FLAT = 0.08;
const FACING = 0.62;

/** A model that grew or shrank by more than this is framed anew. */
const OTHER_SIZE = 1.5;

export class Eye {
  readonly camera = new THREE.PerspectiveCamera(32, 1, 0.01, 100);
  readonly controls: OrbitControls;
  /** Whose model was framed, and its box then. */
  private framed: { asset: number; middle: THREE.Vector3; radius: number } | null = null;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    onChange: () => void,
  ) {
    this.camera.position.set(2.1, 1.1, 4.2);
    this.controls = new OrbitControls(this.camera, canvas);
    this.controls.zoomToCursor = true;
    this.controls.enableDamping = false;
    this.controls.mouseButtons = {
      LEFT: THREE.MOUSE.ROTATE,
      MIDDLE: THREE.MOUSE.PAN,
      RIGHT: THREE.MOUSE.PAN,
    };
    this.controls.addEventListener("change", onChange);
  }

  /**
   * Whether the eye meets a model for the first time: another asset's, the first, or one of another size or place. It is turned to the
   * face of a flat one.
   */
  meets(asset: number, box: THREE.Box3): boolean {
    const { center: middle, radius } = box.getBoundingSphere(new THREE.Sphere());
    const before = this.framed;
    const known =
      before?.asset === asset &&
      before.middle.distanceTo(middle) < before.radius &&
      radius < before.radius * OTHER_SIZE &&
      radius * OTHER_SIZE > before.radius;
    if (known) return false;
    this.framed = { asset, middle, radius };
    this.face(box);
    return true;
  }

  /** Turns to a flat model's face where it would be seen along it. */
  private face(box: THREE.Box3) {
    const size = box.getSize(new THREE.Vector3()).toArray();
    const thin = size.indexOf(Math.min(...size));
    const away = this.camera.position.clone().sub(this.controls.target).normalize();
    const along = away.getComponent(thin);
    if ((size[thin] ?? 0) > FLAT * Math.max(...size) || Math.abs(along) >= FACING) return;
    away.setComponent(thin, 0).setLength(Math.sqrt(1 - FACING ** 2));
    away.setComponent(thin, along < 0 ? -FACING : FACING);
    this.camera.position.copy(this.controls.target).add(away);
  }

  /** Shows all of a box, or a point on it, from where it is looked at now; `share` of the canvas is as wide as it may be. */
  frame(box: THREE.Box3, share: number, point?: [number, number, number] | null) {
    const radius = Math.max(1e-6, box.max.distanceTo(box.min) / 2);
    const middle = box.getCenter(new THREE.Vector3());
    const centre = point ? new THREE.Vector3(...point) : middle;
    const direction = this.camera.position.clone().sub(this.controls.target).normalize();
    if (point) {
      // A place on the model is looked at from outside.
      direction.copy(centre.clone().sub(middle));
      direction.y *= 0.6;
      direction.normalize();
    }
    const aspect = (this.canvas.clientWidth * share) / Math.max(1, this.canvas.clientHeight);
    const { target, distance } = point
      ? { target: centre, distance: radius * 1.7 }
      : hold(box, direction, this.camera.fov, aspect);
    this.camera.near = radius / 200;
    this.camera.far = radius * 40;
    this.camera.position.copy(target).addScaledVector(direction, distance);
    this.controls.target.copy(target);
    this.controls.minDistance = radius * 0.05;
    this.controls.maxDistance = radius * 12;
    this.controls.update();
  }

  /** Another share of the canvas: it comes nearer or goes further by as much as that asks for, from wherever it stands. */
  giveRoom(box: THREE.Box3 | null, share: number) {
    if (!box) return;
    const { fov, position } = this.camera;
    const away = position.clone().sub(this.controls.target);
    const direction = away.clone().normalize();
    const held = (part: number) => {
      const aspect = (this.canvas.clientWidth * part) / Math.max(1, this.canvas.clientHeight);
      return hold(box, direction, fov, aspect);
    };
    const [before, now] = [held(share === 1 ? 0.5 : 1), held(share)];
    this.controls.target.add(now.target).sub(before.target);
    position.copy(this.controls.target).add(away.multiplyScalar(now.distance / before.distance));
    this.controls.update();
  }

  /** Pixels of the page that a length takes at a point of the model. */
  pixelsAt(point: [number, number, number], length: number): number {
    const distance = this.camera.position.distanceTo(new THREE.Vector3(...point));
    const tall = 2 * Math.tan((this.camera.fov * Math.PI) / 360) * Math.max(1e-9, distance);
    return (length / tall) * this.canvas.clientHeight;
  }

  /** Turns (arrows) or zooms (plus, minus) by keyboard; false for any other key. */
  key(key: string): boolean {
    const turns: Record<string, [number, number]> = {
      ArrowLeft: [-0.15, 0],
      ArrowRight: [0.15, 0],
      ArrowUp: [0, -0.12],
      ArrowDown: [0, 0.12],
    };
    const place = new THREE.Spherical().setFromVector3(
      this.camera.position.clone().sub(this.controls.target),
    );
    const turn = turns[key];
    if (turn) {
      place.theta += turn[0];
      place.phi += turn[1];
    } else if (key === "+" || key === "=") place.radius *= 0.85;
    else if (key === "-") place.radius /= 0.85;
    else return false;
    this.camera.position
      .copy(this.controls.target)
      .add(new THREE.Vector3().setFromSpherical(place.makeSafe()));
    this.controls.update();
    return true;
  }
}

/** Where the eye has to look, and from how far, so that every corner of a box is in view and what is seen of it stands in the middle,
 *  with a margin for the tools at the top. Along an axis across the view a corner at `x`, `t` towards the eye, is in view when
 *  |x - c| <= k (d - t), with k the tangent of half the angle: nothing is cut off from d = (a + b) / 2k on, where a and b are the most of
 *  k t + x and of k t - x. */
export function hold(box: THREE.Box3, direction: THREE.Vector3, fov: number, aspect: number) {
  const half = Math.tan(((fov / 2) * Math.PI) / 180);
  const right = new THREE.Vector3(0, 1, 0).cross(direction).normalize();
  const above = direction.clone().cross(right);
  const target = box.getCenter(new THREE.Vector3());
  const corners = Array.from({ length: 8 }, (_, i) =>
    new THREE.Vector3(
      i & 1 ? box.min.x : box.max.x,
      i & 2 ? box.min.y : box.max.y,
      i & 4 ? box.min.z : box.max.z,
    ).sub(target),
  );
  const axes = [
    { across: right, k: half * 0.92 * aspect },
    { across: above, k: half * 0.86 },
  ].map(({ across, k }) => ({
    across,
    k,
    at: corners.map((c) => [c.dot(across), c.dot(direction)] as const),
  }));
  const distance = Math.max(
    ...axes.map(({ k, at }) => {
      const most = (sign: number) => Math.max(...at.map(([x, t]) => k * t + sign * x));
      return (most(1) + most(-1)) / (2 * k);
    }),
  );
  for (const { across, at } of axes) target.addScaledVector(across, middleOf(at, distance));
  return { target, distance };
}

/** The place that has as much to its left as to its right, in the picture, of points at `x`, `t` towards the eye. */
function middleOf(at: readonly (readonly [number, number])[], distance: number): number {
  let [low, high] = [Math.min(...at.map(([x]) => x)), Math.max(...at.map(([x]) => x))];
  for (let i = 0; i < 50; i++) {
    const middle = (low + high) / 2;
    const seen = at.map(([x, t]) => (x - middle) / (distance - t));
    if (Math.max(...seen) + Math.min(...seen) > 0) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}
