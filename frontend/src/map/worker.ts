/** Paints the map off the page's own thread: shapes come once, then each frame says only view and look. */
import type { Inset } from "../api/bulk";
import { type Cells, cellTable, fillCells, type Lattice } from "../geometry/lattice";
import { fillZones, type Rings } from "../geometry/scanline";
import type { View } from "../geometry/view";
import { type Dots, paintDots, paintGrid } from "./dots";
import type { InsetBox } from "./insets";
import { type Look, paint, shrink } from "./paint";

export interface Line {
  rings: Rings;
  colour: string;
  /** Pixels wide. */
  width: number;
  /** Drawn from this many pixels a metre on. */
  fromScale: number;
}

/** A grid that is tried out, drawn over the map by the borders of its cells. */
export interface DrawnGrid {
  column: Int32Array;
  row: Int32Array;
  lattice: Lattice;
  /** 0xAABBGGRR */
  colour: number;
}

export type ToWorker =
  | { kind: "canvas"; canvas: OffscreenCanvas }
  | { kind: "zones"; rings: Rings; insets: Inset[] }
  | {
      kind: "cells";
      column: Int32Array;
      row: Int32Array;
      area: Int32Array;
      lattice: Lattice;
      insets: Inset[];
    }
  | { kind: "lines"; lines: Line[] }
  | { kind: "dots"; dots: Dots | null }
  | { kind: "grids"; grids: DrawnGrid[] }
  | {
      kind: "frame";
      frame: number;
      view: View;
      width: number;
      height: number;
      ratio: number;
      look: Look;
      insets: readonly InsetBox[];
      still: boolean;
    }
  | { kind: "point"; x: number; y: number; chosen: boolean }
  | ({ kind: "small"; request: number } & SmallMaps);

/** Several small maps of the same areas, each with its own look. */
export interface SmallMaps {
  view: View;
  width: number;
  height: number;
  ratio: number;
  insets: readonly InsetBox[];
  looks: readonly Look[];
}

export type FromWorker =
  | { kind: "painted"; frame: number; view: View; ms: number; still: boolean }
  | { kind: "area"; area: number; chosen: boolean }
  | {
      kind: "small";
      request: number;
      width: number;
      height: number;
      pictures: Uint8ClampedArray<ArrayBuffer>[];
    };

/** Pixels across, below which the cells of a grid that is tried out are not drawn. */
const FINEST_CELL = 4;

let canvas: OffscreenCanvas | null = null;
let zones: Rings | null = null;
let cells: Cells | null = null;
let lines: Line[] = [];
let insets: Inset[] = [];
let dots: Dots | null = null;
let grids: { cells: Cells; colour: number }[] = [];
let ids = new Int32Array(0);
let gridIds = new Int32Array(0);
let shape = { width: 0, height: 0, fine: 1, ratio: 1 };
let painted = "";

self.onmessage = ({ data }: MessageEvent<ToWorker>) => {
  if (data.kind === "canvas") canvas = data.canvas;
  else if (data.kind === "zones") {
    [zones, cells, insets, painted] = [data.rings, null, data.insets, ""];
  } else if (data.kind === "cells") {
    [zones, cells, insets, painted] = [
      null,
      cellTable(data.column, data.row, data.area, data.lattice),
      data.insets,
      "",
    ];
  } else if (data.kind === "lines") lines = data.lines;
  else if (data.kind === "dots") dots = data.dots;
  else if (data.kind === "grids") {
    grids = data.grids.map((g) => ({ cells: cellTable(g.column, g.row, null, g.lattice), colour: g.colour }));
  } else if (data.kind === "frame") frame(data);
  else if (data.kind === "small") small(data);
  else {
    const at = shape.fine * shape.ratio;
    const [x, y] = [Math.floor(data.x * at), Math.floor(data.y * at)];
    const inside = x >= 0 && y >= 0 && x < shape.width && y < shape.height;
    tell({ kind: "area", area: inside ? ids[y * shape.width + x] : -1, chosen: data.chosen });
  }
};

function tell(message: FromWorker): void {
  self.postMessage(message);
}

/** A moving frame has one buffer pixel for each of the screen, a still one two by two, averaged. */
function frame(asked: Extract<ToWorker, { kind: "frame" }>): void {
  const context = canvas?.getContext("2d");
  if (!canvas || !context) return;
  const begun = performance.now();
  const fine = asked.still ? 2 : 1;
  const ratio = asked.ratio;
  const screen = {
    width: Math.max(1, Math.round(asked.width * ratio)),
    height: Math.max(1, Math.round(asked.height * ratio)),
  };
  const [width, height] = [screen.width * fine, screen.height * fine];
  const view = { ...asked.view, scale: asked.view.scale * ratio * fine };
  // The same areas at the same pixels need only new colours.
  const parts = partsOf(asked.insets, ratio * fine);
  fill(view, width, height, parts);
  shape = { width, height, fine, ratio };
  const image = new ImageData(screen.width, screen.height);
  const out = new Uint32Array(image.data.buffer);
  const large = fine === 1 ? out : new Uint32Array(width * height);
  paint(ids, width, height, asked.look, large, fine);
  const whole = parts.length && (grids.length || dots) ? large.slice() : null;
  if (grids.length && gridIds.length !== width * height) gridIds = new Int32Array(width * height);
  for (const grid of grids) {
    // Lines that stand closer would only colour the map.
    if (Math.min(grid.cells.lattice.width, grid.cells.lattice.height) * view.scale < FINEST_CELL) continue;
    paintGrid(grid.cells, grid.colour, view, width, height, gridIds, large, fine * ratioSteps(ratio));
  }
  if (dots) paintDots(dots, view, width, height, large, fine * ratioSteps(ratio));
  if (whole) for (const part of parts) restore(part, whole, large, width, height, fine * ratioSteps(ratio));
  if (fine > 1) shrink(large, width, height, fine, out);
  if (canvas.width !== screen.width || canvas.height !== screen.height) {
    [canvas.width, canvas.height] = [screen.width, screen.height];
  }
  context.putImageData(image, 0, 0);
  if (asked.still) strokeAll(context, asked, ratio, screen);
  tell({
    kind: "painted",
    frame: asked.frame,
    view: asked.view,
    ms: performance.now() - begun,
    still: asked.still,
  });
}

/** Which area is at each pixel, where that is not known from the frame before. */
function fill(view: View, width: number, height: number, parts: readonly Part[]): void {
  const wanted = JSON.stringify([view, width, height, parts.map(({ rings: _, ...p }) => p)]);
  if (wanted === painted) return;
  if (ids.length !== width * height) ids = new Int32Array(width * height);
  if (zones) fillZones(zones, view, width, height, ids);
  else if (cells) fillCells(cells, view, width, height, ids);
  else ids.fill(-1);
  for (const part of parts) fillPart(part, width, height);
  painted = wanted;
}

/** The areas are looked for once; then each map is only other colours. */
function small(asked: Extract<ToWorker, { kind: "small" }>): void {
  const fine = 2;
  const scale = asked.ratio * fine;
  const [width, height] = [Math.round(asked.width * asked.ratio), Math.round(asked.height * asked.ratio)];
  fill(
    { ...asked.view, scale: asked.view.scale * scale },
    width * fine,
    height * fine,
    partsOf(asked.insets, scale),
  );
  const large = new Uint32Array(width * fine * height * fine);
  const pictures = asked.looks.map((look) => {
    const picture = new Uint8ClampedArray(4 * width * height);
    paint(ids, width * fine, height * fine, look, large, fine);
    shrink(large, width * fine, height * fine, fine, new Uint32Array(picture.buffer));
    return picture;
  });
  const answer: FromWorker = { kind: "small", request: asked.request, width, height, pictures };
  self.postMessage(answer, { transfer: pictures.map((p) => p.buffer) });
}

interface Part {
  left: number;
  top: number;
  width: number;
  height: number;
  view: View;
  rings: Rings | null;
  own: boolean;
}

function partsOf(boxes: readonly InsetBox[], scale: number): Part[] {
  return boxes.flatMap((box, i) => (insets[i] ? [partOf(box, insets[i], scale)] : []));
}

/** An inset's box in pixels of the buffer. */
function partOf(box: InsetBox, inset: Inset, scale: number): Part {
  return {
    left: Math.round(box.left * scale),
    top: Math.round(box.top * scale),
    width: Math.round(box.width * scale),
    height: Math.round(box.height * scale),
    view: { ...box.view, scale: box.view.scale * scale },
    rings: inset.rings,
    own: inset.own,
  };
}

/** The rows of an inset's box that lie on the canvas, each with where it begins there and in the box, and its length. */
function* rowsOf(part: Part, width: number, height: number): Generator<[number, number, number]> {
  const from = Math.max(part.left, 0);
  const to = Math.min(part.left + part.width, width);
  for (let y = Math.max(part.top, 0); y < Math.min(part.top + part.height, height) && from < to; y++) {
    yield [y * width + from, (y - part.top) * part.width + from - part.left, to - from];
  }
}

function fillPart(part: Part, width: number, height: number): void {
  const own = new Int32Array(part.width * part.height);
  if (part.rings) fillZones(part.rings, part.view, part.width, part.height, own);
  else if (cells) fillCells(cells, part.view, part.width, part.height, own);
  for (const [at, from, n] of rowsOf(part, width, height)) ids.set(own.subarray(from, from + n), at);
}

/** What was drawn over the map stops at an inset; events are drawn in it by its own view. */
function restore(
  part: Part,
  before: Uint32Array,
  out: Uint32Array,
  width: number,
  height: number,
  fine: number,
): void {
  const box = new Uint32Array(part.width * part.height);
  for (const [at, from, n] of rowsOf(part, width, height)) box.set(before.subarray(at, at + n), from);
  if (dots && !part.own) paintDots(dots, part.view, part.width, part.height, box, fine);
  for (const [at, from, n] of rowsOf(part, width, height)) out.set(box.subarray(from, from + n), at);
}

type Frame = Extract<ToWorker, { kind: "frame" }>;

/** The map's lines outside the insets, and in each inset of the map's own projection again by its view. */
function strokeAll(
  context: OffscreenCanvasRenderingContext2D,
  asked: Frame,
  ratio: number,
  screen: { width: number; height: number },
): void {
  const box = (b: InsetBox) => [b.left * ratio, b.top * ratio, b.width * ratio, b.height * ratio] as const;
  context.save();
  context.beginPath();
  context.rect(0, 0, screen.width, screen.height);
  for (const b of asked.insets) context.rect(...box(b));
  context.clip("evenodd");
  for (const line of lines) stroke(context, line, asked.view, ratio, screen);
  context.restore();
  for (const [i, b] of asked.insets.entries()) {
    if (!insets[i] || insets[i].own) continue;
    context.save();
    context.beginPath();
    context.rect(...box(b));
    context.clip();
    const view = {
      ...b.view,
      left: b.view.left - b.left / b.view.scale,
      top: b.view.top + b.top / b.view.scale,
    };
    for (const line of lines) stroke(context, line, view, ratio, screen);
    context.restore();
  }
}

/** Lines and dots stay as thick on a dense screen. */
function ratioSteps(ratio: number): number {
  return Math.max(1, Math.round(ratio));
}

function stroke(
  context: OffscreenCanvasRenderingContext2D,
  line: Line,
  view: View,
  ratio: number,
  screen: { width: number; height: number },
): void {
  if (view.scale < line.fromScale) return;
  const { xy, start } = line.rings;
  const scale = view.scale * ratio;
  context.strokeStyle = line.colour;
  context.lineWidth = line.width * ratio;
  context.lineJoin = "round";
  context.beginPath();
  for (let ring = 0; ring + 1 < start.length; ring++) {
    let seen = false;
    for (let i = start[ring]; i < start[ring + 1] && !seen; i += 2) {
      const x = (xy[i] - view.left) * scale;
      const y = (view.top - xy[i + 1]) * scale;
      seen = x > -50 && y > -50 && x < screen.width + 50 && y < screen.height + 50;
    }
    if (!seen) continue;
    for (let i = start[ring]; i < start[ring + 1]; i += 2) {
      const x = (xy[i] - view.left) * scale;
      const y = (view.top - xy[i + 1]) * scale;
      if (i === start[ring]) context.moveTo(x, y);
      else context.lineTo(x, y);
    }
  }
  context.stroke();
}
