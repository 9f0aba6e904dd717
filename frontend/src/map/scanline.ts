/**
 * Zones into the id buffer: which zone is at the centre of each pixel.
 *
 * Every edge is taken from its lower to its upper end, so that the two zones on a shared border cross a row of pixels
 * at the same place to the bit, and no pixel between them is lost or painted twice.
 */
import type { View } from "./view";

export interface Rings {
  /** Vertices of all rings, x and y in turn, in metres. */
  xy: Float32Array;
  /** Where each ring starts in `xy`, counted in numbers; one more entry at the end. */
  start: Int32Array;
  /** The zone of each ring, in increasing order. */
  owner: Int32Array;
}

export const NOTHING = -1;

/** Fill `ids` (width * height) with the zone at each pixel's centre, or NOTHING. */
export function fillZones(rings: Rings, view: View, width: number, height: number, ids: Int32Array): void {
  ids.fill(NOTHING);
  const { xy, start, owner } = rings;
  const { scale, left, top } = view;
  const counts = new Int32Array(height + 1);
  let crossings = new Float32Array(1024);
  let ring = 0;
  while (ring < owner.length) {
    const zone = owner[ring];
    let end = ring;
    while (end < owner.length && owner[end] === zone) end++;
    const from = start[ring];
    const to = start[end];
    ring = end;
    let minX = Infinity;
    let maxX = -Infinity;
    let minY = Infinity;
    let maxY = -Infinity;
    for (let i = from; i < to; i += 2) {
      if (xy[i] < minX) minX = xy[i];
      if (xy[i] > maxX) maxX = xy[i];
      if (xy[i + 1] < minY) minY = xy[i + 1];
      if (xy[i + 1] > maxY) maxY = xy[i + 1];
    }
    const firstRow = Math.max(0, Math.ceil((top - maxY) * scale - 0.5));
    const lastRow = Math.min(height - 1, Math.floor((top - minY) * scale - 0.5));
    if (lastRow < firstRow || (maxX - left) * scale < 0 || (minX - left) * scale > width) continue;
    // Two passes over the edges: how many crossings a row has, then where they are.
    counts.fill(0, firstRow, lastRow + 2);
    eachCrossing(rings, end, zone, view, firstRow, lastRow, (row) => {
      counts[row + 1]++;
    });
    for (let row = firstRow; row <= lastRow; row++) counts[row + 1] += counts[row];
    const total = counts[lastRow + 1];
    if (total > crossings.length) crossings = new Float32Array(2 * total);
    const next = counts.slice(firstRow, lastRow + 1);
    eachCrossing(rings, end, zone, view, firstRow, lastRow, (row, x) => {
      let at = next[row - firstRow]++;
      const low = counts[row];
      while (at > low && crossings[at - 1] > x) {
        crossings[at] = crossings[at - 1];
        at--;
      }
      crossings[at] = x;
    });
    for (let row = firstRow; row <= lastRow; row++) {
      for (let i = counts[row]; i + 1 < counts[row + 1]; i += 2) {
        const a = Math.max(0, Math.ceil(crossings[i] - 0.5));
        const b = Math.min(width, Math.ceil(crossings[i + 1] - 0.5));
        if (a < b) ids.fill(zone, row * width + a, row * width + b);
      }
    }
  }
}

/** Every crossing of a zone's edges with the middle lines of the rows, in pixels. */
function eachCrossing(
  rings: Rings,
  end: number,
  zone: number,
  view: View,
  firstRow: number,
  lastRow: number,
  tell: (row: number, x: number) => void,
): void {
  const { xy, start, owner } = rings;
  const { scale, left, top } = view;
  for (let ring = end - 1; ring >= 0 && owner[ring] === zone; ring--) {
    for (let i = start[ring]; i + 3 < start[ring + 1]; i += 2) {
      let ax = (xy[i] - left) * scale;
      let ay = (top - xy[i + 1]) * scale;
      let bx = (xy[i + 2] - left) * scale;
      let by = (top - xy[i + 3]) * scale;
      if (ay > by) {
        [ax, ay, bx, by] = [bx, by, ax, ay];
      }
      const first = Math.max(firstRow, Math.ceil(ay - 0.5));
      const last = Math.min(lastRow, Math.ceil(by - 0.5) - 1);
      if (first > last) continue;
      const slope = (bx - ax) / (by - ay);
      for (let row = first; row <= last; row++) tell(row, ax + (row + 0.5 - ay) * slope);
    }
  }
}
