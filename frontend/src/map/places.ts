/** The selected area's events as numbered places: which of the numbers find room. */
import type { View } from "../geometry/view";

/** East, north, events; the most events first, so that a place's number is its position plus one. */
export type Place = readonly [number, number, number];

export interface Mark {
  x: number;
  y: number;
  number: number;
  /** Half the width of its plate; 0 for a dot without room for its number. */
  reach: number;
}

const HEIGHT = 8;

/** Where on screen each place is drawn. Earlier places take their room first; what is off screen is left out. */
export function marksOf(
  places: readonly Place[],
  view: View,
  size: { width: number; height: number },
): Mark[] {
  const taken: Mark[] = [];
  const marks: Mark[] = [];
  for (const [i, [east, north]] of places.entries()) {
    const x = (east - view.left) * view.scale;
    const y = (view.top - north) * view.scale;
    if (x < 0 || y < 0 || x > size.width || y > size.height) continue;
    const mark = { x, y, number: i + 1, reach: 4 + 3.4 * String(i + 1).length };
    const free = taken.every(
      (t) => Math.abs(t.y - y) > 2 * HEIGHT || Math.abs(t.x - x) > t.reach + mark.reach,
    );
    if (free && taken.length < 400) taken.push(mark);
    else mark.reach = 0;
    marks.push(mark);
  }
  return marks;
}
