// How far back the eye must stand.
import * as THREE from "three";

/** Distance from `centre` along `direction` at which every corner of a box is in view, with a margin for the tools at the top. */
export function distanceToHold(
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
