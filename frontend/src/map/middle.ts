/** Where an area is: the middle of what it covers, in the map's plane. */
import type { Shapes } from "../api/bulk";
import { cellCentre } from "../geometry/lattice";

/** Null for an area without a shape, and for one that is drawn in a box in a projection of its own. */
export function middleOf(shapes: Shapes, area: number): readonly [number, number] | null {
  if (shapes.kind === "cells") {
    const at = shapes.area.indexOf(area);
    return at < 0 ? null : cellCentre(shapes.lattice, shapes.column[at], shapes.row[at]);
  }
  const { xy, start, owner } = shapes.rings;
  let [left, right, low, high] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let ring = 0; ring < owner.length; ring++) {
    if (owner[ring] !== area) continue;
    for (let i = start[ring]; i < start[ring + 1]; i += 2) {
      left = Math.min(left, xy[i]);
      right = Math.max(right, xy[i]);
      low = Math.min(low, xy[i + 1]);
      high = Math.max(high, xy[i + 1]);
    }
  }
  return left > right ? null : [(left + right) / 2, (low + high) / 2];
}
