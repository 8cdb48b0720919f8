// Looks under way: what is worked out while a hand is on something goes before the proof that follows.
let under = 0;
let resting: (() => void)[] = [];

/** Counts a look as under way until the promise that it returns is settled. */
export async function looking<T>(look: Promise<T>): Promise<T> {
  under++;
  try {
    return await look;
  } finally {
    under--;
    if (under === 0) {
      const now = resting;
      resting = [];
      for (const go of now) go();
    }
  }
}

/** Resolves once no look is under way. */
export function rests(): Promise<void> {
  return under === 0 ? Promise.resolve() : new Promise((go) => resting.push(go));
}
