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

/** Room for one zone's edges, and for where they cross the middles of rows; kept between frames. */
let edgeX = new Float64Array(256);
let edgeY = new Float64Array(256);
let edgeSlope = new Float64Array(256);
let edgeFirst = new Int32Array(256);
let edgeLast = new Int32Array(256);
let crossings = new Float64Array(1024);

/** Fill `ids` (width * height) with the zone at each pixel's centre, or NOTHING. */
export function fillZones(rings: Rings, view: View, width: number, height: number, ids: Int32Array): void {
  ids.fill(NOTHING);
  const { xy, start, owner } = rings;
  const { scale, left, top } = view;
  // Where each row's crossings start among the zone's; each row's own are kept in order.
  const rowStart = new Int32Array(height + 2);
  const filled = new Int32Array(height + 2);
  let ring = 0;
  while (ring < owner.length) {
    const zone = owner[ring];
    const firstRing = ring;
    while (ring < owner.length && owner[ring] === zone) ring++;
    if (!inSight(xy, start[firstRing], start[ring], view, width, height)) continue;
    if (start[ring] - start[firstRing] > edgeX.length) makeRoom(start[ring] - start[firstRing]);
    let edges = 0;
    let lowRow = height;
    let highRow = -1;
    for (let r = firstRing; r < ring; r++) {
      for (let i = start[r]; i + 3 < start[r + 1]; i += 2) {
        let ax = (xy[i] - left) * scale;
        let ay = (top - xy[i + 1]) * scale;
        let bx = (xy[i + 2] - left) * scale;
        let by = (top - xy[i + 3]) * scale;
        if (ay > by) {
          const [x, y] = [ax, ay];
          ax = bx;
          ay = by;
          bx = x;
          by = y;
        }
        const first = Math.max(0, Math.ceil(ay - 0.5));
        const last = Math.min(height - 1, Math.ceil(by - 0.5) - 1);
        if (first > last) continue;
        edgeX[edges] = ax;
        edgeY[edges] = ay;
        edgeSlope[edges] = (bx - ax) / (by - ay);
        edgeFirst[edges] = first;
        edgeLast[edges] = last;
        edges++;
        if (first < lowRow) lowRow = first;
        if (last > highRow) highRow = last;
        rowStart[first + 1]++;
        rowStart[last + 2]--;
      }
    }
    if (!edges) continue;
    // From changes in the number of crossings to the number itself, and from there to where each row starts.
    let crossing = 0;
    let total = 0;
    for (let row = lowRow; row <= highRow; row++) {
      crossing += rowStart[row + 1];
      rowStart[row + 1] = 0;
      filled[row] = total;
      total += crossing;
    }
    rowStart[highRow + 2] = 0;
    filled[highRow + 1] = total;
    if (total > crossings.length) crossings = new Float64Array(2 * total);
    const rowAt = filled.slice(lowRow, highRow + 2);
    for (let e = 0; e < edges; e++) {
      for (let row = edgeFirst[e]; row <= edgeLast[e]; row++) {
        const x = edgeX[e] + (row + 0.5 - edgeY[e]) * edgeSlope[e];
        let at = filled[row]++;
        const low = rowAt[row - lowRow];
        while (at > low && crossings[at - 1] > x) {
          crossings[at] = crossings[at - 1];
          at--;
        }
        crossings[at] = x;
      }
    }
    for (let row = lowRow; row <= highRow; row++) {
      for (let i = rowAt[row - lowRow]; i + 1 < rowAt[row - lowRow + 1]; i += 2) {
        const a = Math.max(0, Math.ceil(crossings[i] - 0.5));
        const b = Math.min(width, Math.ceil(crossings[i + 1] - 0.5));
        for (let at = row * width + a; at < row * width + b; at++) ids[at] = zone;
      }
    }
  }
}

/** Does the box around some vertices touch the screen? */
function inSight(
  xy: Float32Array,
  from: number,
  to: number,
  view: View,
  width: number,
  height: number,
): boolean {
  let minX = Infinity;
  let maxX = -Infinity;
  let minY = Infinity;
  let maxY = -Infinity;
  for (let i = from; i < to; i += 2) {
    const x = xy[i];
    const y = xy[i + 1];
    if (x < minX) minX = x;
    if (x > maxX) maxX = x;
    if (y < minY) minY = y;
    if (y > maxY) maxY = y;
  }
  const { scale, left, top } = view;
  return (
    (maxX - left) * scale >= 0 &&
    (minX - left) * scale <= width &&
    (top - minY) * scale >= 0 &&
    (top - maxY) * scale <= height
  );
}

function makeRoom(edges: number): void {
  edgeX = new Float64Array(edges);
  edgeY = new Float64Array(edges);
  edgeSlope = new Float64Array(edges);
  edgeFirst = new Int32Array(edges);
  edgeLast = new Int32Array(edges);
}
