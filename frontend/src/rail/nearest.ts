/** Which of many points is nearest to the pointer. */

/** Its position among them, or null where none is within reach. `places` holds x and y in turn; NaN is nowhere. */
export function nearestPoint(places: Float64Array, x: number, y: number, reach: number): number | null {
  let found: number | null = null;
  let best = reach * reach;
  for (let i = 0; i < places.length / 2; i++) {
    const away = (places[2 * i] - x) ** 2 + (places[2 * i + 1] - y) ** 2;
    if (away < best) {
      best = away;
      found = i;
    }
  }
  return found;
}
