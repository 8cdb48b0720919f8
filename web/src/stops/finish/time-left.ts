/** A share of the work below this says too little of how fast it goes. */
const LEAST = 0.05;

/** Whole seconds that work may still take of which `share` was done within `elapsed` milliseconds; null where that cannot be said. */
export function secondsLeft(share: number | null, elapsed: number): number | null {
  if (share === null || share < LEAST) return null;
  return Math.max(1, Math.round((elapsed * (1 - share)) / share / 1000));
}
