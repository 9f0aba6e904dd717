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

/** One step of the outline that stands for the dots where they are too many. */
export interface Step {
  /** The first of the values in it, as a position among those given. */
  first: number;
  areas: number;
  /** Its middle from the lowest value on, and how wide it is. */
  y: number;
  width: number;
}

/** How many areas lie at each place, as steps of even height; the fullest is as wide as there is room. */
export function outlineOf(places: ArrayLike<number>, length: number, height: number, room: number): Step[] {
  const bins = Math.max(1, Math.floor(length / height));
  const steps: Step[] = Array.from({ length: bins }, (_, i) => ({
    first: -1,
    areas: 0,
    y: ((i + 0.5) / bins) * length,
    width: 0,
  }));
  for (let i = 0; i < places.length; i++) {
    const step = steps[Math.max(0, Math.min(bins - 1, Math.floor(places[i] * bins)))];
    if (step.first < 0) step.first = i;
    step.areas++;
  }
  const most = steps.reduce((n, s) => Math.max(n, s.areas), 1);
  return steps.filter((s) => s.areas > 0).map((s) => ({ ...s, width: Math.max((s.areas / most) * room, 1) }));
}
