/** The areas as dots beside the rail's axis, stacked sideways, and which of them is under the pointer. */

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

/** The dot within reach of a point, in the same lengths. */
export function dotAt(dots: readonly Dot[], x: number, y: number, reach: number): Dot | undefined {
  return dots.find((d) => Math.abs(d.x - x) < reach && Math.abs(d.y - y) < reach);
}
