// The eye on the model: where it stands, how hands turn it, and what it frames.
import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";

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

  /** Whether the eye cannot have found a model yet: another asset's, the first, or one of another size or place. */
  isLost(asset: number, box: THREE.Box3): boolean {
    const { center: middle, radius } = box.getBoundingSphere(new THREE.Sphere());
    const before = this.framed;
    const known =
      before?.asset === asset &&
      before.middle.distanceTo(middle) < before.radius &&
      radius < before.radius * OTHER_SIZE &&
      radius * OTHER_SIZE > before.radius;
    if (!known) this.framed = { asset, middle, radius };
    return !known;
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
    const distance = point
      ? radius * 1.7
      : distanceToHold([box.min, box.max], centre, direction, this.camera.fov, aspect);
    this.camera.near = radius / 200;
    this.camera.far = radius * 40;
    this.camera.position.copy(centre).addScaledVector(direction, distance);
    this.controls.target.copy(centre);
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
    const needs = (part: number) => {
      const aspect = (this.canvas.clientWidth * part) / Math.max(1, this.canvas.clientHeight);
      return distanceToHold([box.min, box.max], box.getCenter(new THREE.Vector3()), direction, fov, aspect);
    };
    const before = share === 1 ? 0.5 : 1;
    position.copy(this.controls.target).add(away.multiplyScalar(needs(share) / needs(before)));
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

/** Distance from `centre` along `direction` at which every corner of a box is in view, with a margin for the tools at the top. */
function distanceToHold(
  [low, high]: readonly [THREE.Vector3, THREE.Vector3],
  centre: THREE.Vector3,
  direction: THREE.Vector3,
  fov: number,
  aspect: number,
): number {
  const half = Math.tan(((fov / 2) * Math.PI) / 180);
  const [up, side] = [half * 0.86, half * 0.92 * aspect];
  const right = new THREE.Vector3(0, 1, 0).cross(direction).normalize();
  const above = direction.clone().cross(right);
  let distance = 0;
  for (let i = 0; i < 8; i++) {
    const corner = new THREE.Vector3(i & 1 ? low.x : high.x, i & 2 ? low.y : high.y, i & 4 ? low.z : high.z);
    corner.sub(centre);
    const towards = corner.dot(direction);
    distance = Math.max(
      distance,
      towards + Math.abs(corner.dot(right)) / side,
      towards + Math.abs(corner.dot(above)) / up,
    );
  }
  return distance;
}
