/** Where things stand on the break rail: values along its length, dots stacked sideways, texts that do not collide. */
import type { Axis } from "../state/store";

/** A function from values to 0 (lowest) .. 1 (highest). */
export function axisOf(kind: Axis, ordered: ArrayLike<number>): (value: number) => number {
  const n = ordered.length;
  const low = ordered[0];
  const high = ordered[n - 1];
  if (n === 0 || !(high > low)) return () => 0.5;
  if (kind === "rank") {
    return (value) => {
      let a = 0;
      let b = n;
      while (a < b) {
        const middle = (a + b) >> 1;
        if (ordered[middle] < value) a = middle + 1;
        else b = middle;
      }
      return Math.min(a / (n - 1), 1);
    };
  }
  if (kind === "log" && low > 0) {
    const span = Math.log(high / low);
    return (value) => Math.log(value / low) / span;
  }
  return (value) => (value - low) / (high - low);
}

/** Even steps where they show the values apart, else steps of the logarithm or of the rank. */
export function fittingAxis(ordered: ArrayLike<number>): Axis {
  const linear = axisOf("linear", ordered);
  let low = 0;
  for (let i = 0; i < ordered.length; i++) if (linear(ordered[i]) < 0.15) low++;
  if (low < 0.6 * ordered.length) return "linear";
  return ordered[0] > 0 ? "log" : "rank";
}

export interface Dot {
  /** Position among the values given. */
  first: number;
  /** How many areas the dot stands for. */
  stands: number;
  x: number;
  y: number;
}

/**
 * Dots for values in increasing order of place along the rail, each as far to the side as its neighbours force it.
 * Where they would be too many or too wide, one dot stands for several.
 */
export function stackDots(places: ArrayLike<number>, length: number, size: number, most: number): Dot[] {
  const bins = Math.max(1, Math.floor(length / size));
  const counts = new Int32Array(bins);
  const binOf = (place: number) => Math.min(bins - 1, Math.floor(place * bins));
  for (let i = 0; i < places.length; i++) counts[binOf(places[i])]++;
  const widest = counts.reduce((a, b) => Math.max(a, b), 0);
  const stands = Math.max(1, Math.ceil(widest / most));
  const dots: Dot[] = [];
  const placed = new Int32Array(bins);
  for (let i = 0; i < places.length; i++) {
    const bin = binOf(places[i]);
    if (placed[bin] % stands === 0) {
      dots.push({
        first: i,
        stands: Math.min(stands, counts[bin] - placed[bin]),
        x: (Math.floor(placed[bin] / stands) + 0.5) * size,
        y: ((bin + 0.5) / bins) * length,
      });
    }
    placed[bin]++;
  }
  return dots;
}

/** Move labels apart, up or down as little as needed, within 0 .. length; `wanted` must be in increasing order. */
export function spread(wanted: number[], gap: number, length: number): number[] {
  const at = [...wanted];
  for (let i = 1; i < at.length; i++) at[i] = Math.max(at[i], at[i - 1] + gap);
  let limit = length;
  for (let i = at.length - 1; i >= 0; i--) {
    at[i] = Math.min(at[i], limit);
    limit = at[i] - gap;
  }
  return at;
}
