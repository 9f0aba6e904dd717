/** Every area has a pixel somewhere: in the map or in one of its boxes, in frames of all sizes. */
import { describe, expect, it } from "vitest";
import type { Corner, Inset, Shapes } from "../api/bulk";
import { cellCentre } from "../geometry/lattice";
import type { Box } from "../geometry/view";
import { fillIds, paintedOf, partsOf } from "./ids";
import { boxesOf, fittedBeside } from "./insets";

const FRAMES = [
  { width: 150, height: 96 },
  { width: 230, height: 150 },
  { width: 300, height: 400 },
  { width: 684, height: 420 },
  { width: 940, height: 604 },
  { width: 1100, height: 640 },
];
const CORNERS: Corner[] = ["bottom right", "top left", "bottom left", "top right"];

/** So many squares each way, from a corner of the plane on, of which the first is area `from`. */
function squares(left: number, bottom: number, side: number, across: number, up: number, from: number) {
  const rings: { at: number[]; owner: number }[] = [];
  for (let row = 0; row < up; row++)
    for (let column = 0; column < across; column++) {
      const [x, y] = [left + column * side, bottom + row * side];
      const at = [x, y, x + side, y, x + side, y + side, x, y + side, x, y];
      rings.push({ at, owner: from + row * across + column });
    }
  const bounds: Box = { left, bottom, right: left + across * side, top: bottom + up * side };
  return {
    bounds,
    rings: {
      xy: Float32Array.from(rings.flatMap((r) => r.at)),
      start: Int32Array.from([0, ...rings.map((_, i) => 10 * (i + 1))]),
      owner: Int32Array.from(rings, (r) => r.owner),
    },
  };
}

function insetOf(i: number, bounds: Box, rings: Inset["rings"]): Inset {
  return { bounds, at: CORNERS[i % CORNERS.length], own: rings !== null, says: "", rings };
}

/** A map of zones, and groups far off. */
function zones(across: number, up: number, groups: readonly (readonly [number, number])[]): [Shapes, number] {
  const main = squares(0, 0, 1_000, across, up, 0);
  let count = across * up;
  const insets = groups.map(([wide, tall], i) => {
    const group = squares(5e6 * (i + 1), -3e6, 700, wide, tall, count);
    count += wide * tall;
    return insetOf(i, group.bounds, group.rings);
  });
  return [{ kind: "zones", bounds: main.bounds, tolerances: [], insets, rings: main.rings }, count];
}

/** A map of hexagons, a group of them far off in the same plane, and one right beside them. */
function hexagons(across: number, up: number): [Shapes, number] {
  const lattice = {
    hexagon: true,
    swapped: false,
    width: 1_000,
    height: 866.0254,
    originX: 0,
    originY: 0,
    cosine: 1,
    sine: 0,
  };
  const cells: [number, number, number][] = [];
  for (let row = 0; row < up; row++)
    for (let column = 0; column < across; column++) cells.push([column, row, -1]);
  for (const [inset, [c, r]] of [
    [0, [400, -300]],
    [1, [across + 2, 3]],
  ] as const)
    for (let k = 0; k < 6; k++) cells.push([c + (k % 3), r + Math.floor(k / 3), inset]);
  const boundsOf = (which: number): Box => {
    const at = cells.filter((c) => c[2] === which).map(([c, r]) => cellCentre(lattice, c, r));
    const [xs, ys] = [at.map((p) => p[0]), at.map((p) => p[1])];
    return {
      left: Math.min(...xs) - 1_000,
      right: Math.max(...xs) + 1_000,
      bottom: Math.min(...ys) - 1_000,
      top: Math.max(...ys) + 1_000,
    };
  };
  const shapes: Shapes = {
    kind: "cells",
    bounds: boundsOf(-1),
    tolerances: [],
    insets: [0, 1].map((i) => insetOf(i, boundsOf(i), null)),
    column: Int32Array.from(cells, (c) => c[0]),
    row: Int32Array.from(cells, (c) => c[1]),
    area: Int32Array.from(cells, (_, i) => i),
    lattice,
    inset: Int8Array.from(cells, (c) => c[2]),
  };
  return [shapes, cells.length];
}

/** How many pixels each area has in the map and in each box, as map and small maps are painted. */
function seenIn(shapes: Shapes, frame: { width: number; height: number }, bottom: number) {
  const edges = { left: 0, right: 0, top: 0, bottom };
  const boxes = boxesOf(shapes.insets, frame, edges);
  const view = fittedBeside(shapes.bounds, frame, edges, boxes, 6);
  const fine = 2;
  const painted = paintedOf(shapes);
  const parts = partsOf(boxes, painted, fine);
  const [width, height] = [frame.width * fine, frame.height * fine];
  const ids = new Int32Array(width * height);
  fillIds(painted.map, { ...view, scale: view.scale * fine }, width, height, parts, ids);
  const within = (i: number) =>
    parts.findIndex(
      (p) =>
        i % width >= p.left &&
        i % width < p.left + p.width &&
        Math.floor(i / width) >= p.top &&
        Math.floor(i / width) < p.top + p.height,
    );
  const where = new Map<number, Set<number>>();
  for (let i = 0; i < ids.length; i++) {
    if (ids[i] < 0) continue;
    const places = where.get(ids[i]) ?? new Set();
    where.set(ids[i], places.add(within(i)));
  }
  return where;
}

describe.each([
  ["wards and an islet", zones(14, 9, [[3, 2]])],
  ["blocks and an islet", zones(44, 31, [[3, 2]])],
  [
    "a country in five parts",
    zones(20, 12, [
      [4, 3],
      [2, 2],
      [1, 5],
      [3, 3],
    ]),
  ],
  [
    "a long country in seven parts",
    zones(6, 40, [
      [4, 3],
      [2, 2],
      [1, 5],
      [3, 3],
      [1, 1],
      [2, 6],
    ]),
  ],
  ["hexagons and two groups of them", hexagons(30, 20)],
] as const)("%s", (_, [shapes, count]) => {
  it.each(FRAMES)("each area is seen, and in one place alone: $width x $height", (frame) => {
    for (const bottom of [0, 40]) {
      const where = seenIn(shapes, frame, bottom);
      const missing = Array.from({ length: count }, (_, i) => i).filter((i) => !where.has(i));
      expect(missing).toEqual([]);
      for (const [area, places] of where) expect([area, places.size]).toEqual([area, 1]);
    }
  });
});
