/** Which area is at each pixel: of the map outside its boxes, and in each box by its own view. Knows no DOM. */
import type { Shapes } from "../api/bulk";
import { type Cells, cellTable, fillCells } from "../geometry/lattice";
import { fillZones, type Rings } from "../geometry/scanline";
import type { View } from "../geometry/view";
import type { InsetBox } from "./insets";

/** What is drawn in one view: zones by their rings, or cells. An area is in the map or in one of the boxes. */
export type Own = { kind: "zones"; rings: Rings } | { kind: "cells"; cells: Cells };

/** The map's own areas, and each inset's. */
export interface Painted {
  map: Own | null;
  insets: readonly { own: boolean; areas: Own }[];
}

/** An inset's box in pixels of the buffer. */
export interface Part {
  left: number;
  top: number;
  width: number;
  height: number;
  view: View;
  areas: Own;
  /** In another projection than the map. */
  own: boolean;
}

/** Shapes as they are painted. */
export function paintedOf(shapes: Shapes): Painted {
  const insets = shapes.insets;
  if (shapes.kind === "zones") {
    const none = { xy: new Float32Array(), start: new Int32Array(1), owner: new Int32Array() };
    return {
      map: { kind: "zones", rings: shapes.rings },
      insets: insets.map(({ own, rings }) => ({ own, areas: { kind: "zones", rings: rings ?? none } })),
    };
  }
  const { column, row, area, lattice, inset } = shapes;
  const cells = (at: number): Own => {
    if (!inset) return { kind: "cells", cells: cellTable(column, row, area, lattice) };
    const mine = [...inset.keys()].filter((i) => inset[i] === at);
    const of = (all: Int32Array) => Int32Array.from(mine, (i) => all[i]);
    return { kind: "cells", cells: cellTable(of(column), of(row), of(area), lattice) };
  };
  return { map: cells(-1), insets: insets.map(({ own }, i) => ({ own, areas: cells(i) })) };
}

export function partsOf(boxes: readonly InsetBox[], { insets }: Painted, scale: number): Part[] {
  return boxes.flatMap((box, i) => (insets[i] ? [{ ...partOf(box, scale), ...insets[i] }] : []));
}

function partOf(box: InsetBox, scale: number): Omit<Part, "areas" | "own"> {
  return {
    left: Math.round(box.left * scale),
    top: Math.round(box.top * scale),
    width: Math.round(box.width * scale),
    height: Math.round(box.height * scale),
    view: { ...box.view, scale: box.view.scale * scale },
  };
}

/** The rows of an inset's box that lie on the canvas, each with where it begins there and in the box, and its length. */
export function* rowsOf(part: Part, width: number, height: number): Generator<[number, number, number]> {
  const from = Math.max(part.left, 0);
  const to = Math.min(part.left + part.width, width);
  for (let y = Math.max(part.top, 0); y < Math.min(part.top + part.height, height) && from < to; y++) {
    yield [y * width + from, (y - part.top) * part.width + from - part.left, to - from];
  }
}

/** Fill `ids` (width * height) with the area at each pixel's centre, or NOTHING. */
export function fillIds(
  map: Own | null,
  view: View,
  width: number,
  height: number,
  parts: readonly Part[],
  ids: Int32Array,
): void {
  if (map) fillOwn(map, view, width, height, ids);
  else ids.fill(-1);
  for (const part of parts) {
    const own = new Int32Array(part.width * part.height);
    fillOwn(part.areas, part.view, part.width, part.height, own);
    for (const [at, from, n] of rowsOf(part, width, height)) ids.set(own.subarray(from, from + n), at);
  }
}

function fillOwn(areas: Own, view: View, width: number, height: number, ids: Int32Array): void {
  switch (areas.kind) {
    case "zones":
      fillZones(areas.rings, view, width, height, ids);
      break;
    case "cells":
      fillCells(areas.cells, view, width, height, ids);
      break;
  }
}
