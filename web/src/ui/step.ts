// Steps of numbers that are dragged.

/** A round step for numbers about a thousand times as large, and the digits that show it. */
export function stepFor(size: number): { step: number; digits: number } {
  const step = 10 ** Math.floor(Math.log10(Math.max(size, 1e-9)));
  return { step, digits: Math.max(0, -Math.floor(Math.log10(step)) + 1) };
}
