/** Paints the map off the page's own thread: shapes come once, then each frame says only view and look. */
import type { Shapes } from "../api/bulk";
import { type Cells, cellTable, type Lattice } from "../geometry/lattice";
import type { Rings } from "../geometry/scanline";
import type { View } from "../geometry/view";
import { type Dots, paintDots, paintEvents, paintGrid } from "./dots";
import { fillIds, type Painted, type Part, paintedOf, partsOf, rowsOf } from "./ids";
import type { InsetBox } from "./insets";
import { type Look, paint, paintAreas, paintLines, paintMarks, shrink } from "./paint";

export interface Line {
  rings: Rings;
  colour: string;
  /** Pixels wide. */
  width: number;
  /** Drawn from this many pixels a metre on. */
  fromScale: number;
  /** What its rings enclose has this colour, and the line is not drawn. */
  fill?: string;
}

/** What is drawn of one layer of the map. */
export type Drawn =
  | { kind: "areas"; shown: boolean; opacity: number }
  | { kind: "outlines" }
  | { kind: "events"; dots: Dots }
  /** `mapOnly` for lines that are those of the map's own view, and not of its boxes. */
  | { kind: "lines"; lines: Line[]; mapOnly?: boolean };

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
  | { kind: "shapes"; shapes: Shapes }
  /** From the bottom up. */
  | { kind: "layers"; layers: Drawn[] }
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
  /** The colour of the lines around boxes, 0xAABBGGRR. */
  line: number;
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

/** So many corners of lines are drawn while the map moves, too; more wait until it rests. */
const MOVING_CORNERS = 20_000;

let canvas: OffscreenCanvas | null = null;
/** Where pixels stand before they come over what is drawn already. */
const scratch = new OffscreenCanvas(1, 1);
let shown: Painted = { map: null, insets: [] };
let layers: Drawn[] = [{ kind: "areas", shown: true, opacity: 1 }, { kind: "outlines" }];
let dots: Dots | null = null;
let grids: { cells: Cells; colour: number }[] = [];
let ids = new Int32Array(0);
let gridIds = new Int32Array(0);
let shape = { width: 0, height: 0, fine: 1, ratio: 1 };
let painted = "";

self.onmessage = ({ data }: MessageEvent<ToWorker>) => {
  if (data.kind === "canvas") canvas = data.canvas;
  else if (data.kind === "shapes") [shown, painted] = [paintedOf(data.shapes), ""];
  else if (data.kind === "layers") layers = data.layers;
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
  const parts = partsOf(asked.insets, shown, ratio * fine);
  fill(view, width, height, parts);
  shape = { width, height, fine, ratio };
  if (canvas.width !== screen.width || canvas.height !== screen.height) {
    [canvas.width, canvas.height] = [screen.width, screen.height];
  }
  const buffer: Buffer = { view, width, height, fine, ratio, screen, parts };
  let pixels: Pixels[] = [];
  let blank = true;
  const flush = () => {
    if (pixels.length) paintOver(context, pixels, buffer, asked.look, blank);
    [pixels, blank] = [[], blank && !pixels.length];
  };
  for (const layer of [...layers, { kind: "looked at" } as const]) {
    if (layer.kind !== "lines") pixels.push(layer);
    else if (asked.still || corners(layer.lines) <= MOVING_CORNERS) {
      if (blank && !pixels.length) clear(context, asked.look, screen);
      flush();
      blank = false;
      strokeAll(context, layer, asked, ratio, screen);
    }
  }
  flush();
  tell({
    kind: "painted",
    frame: asked.frame,
    view: asked.view,
    ms: performance.now() - begun,
    still: asked.still,
  });
}

/** What is painted pixel by pixel: layers, and over them what somebody looks at. */
type Pixels = Exclude<Drawn, { kind: "lines" }> | { kind: "looked at" };

/** What is painted into: `fine` pixels of it make one of the screen, each way. */
interface Buffer {
  view: View;
  width: number;
  height: number;
  fine: number;
  ratio: number;
  screen: { width: number; height: number };
  parts: readonly Part[];
}

/** Layers of pixels, one over the other, and all of them over what the canvas has; `blank` where that is nothing. */
function paintOver(
  context: OffscreenCanvasRenderingContext2D,
  layers: readonly Pixels[],
  { view, width, height, fine, ratio, screen, parts }: Buffer,
  look: Look,
  blank: boolean,
): void {
  const image = new ImageData(screen.width, screen.height);
  const out = new Uint32Array(image.data.buffer);
  const large = fine === 1 ? out : new Uint32Array(width * height);
  const areas = layers.find((l) => l.kind === "areas");
  const solid = blank && areas === layers[0] && areas?.shown === true && areas.opacity === 1;
  const under = { ...look, background: solid ? look.background : 0 };
  const thick = fine * ratioSteps(ratio);
  const boxed = (dots: Dots, paintThem: typeof paintEvents) => {
    const before = parts.length ? large.slice() : null;
    paintThem(dots, view, width, height, large, thick);
    if (before) for (const part of parts) restore(part, before, large, width, height, dots, paintThem, thick);
  };
  for (const layer of layers) {
    switch (layer.kind) {
      case "areas":
        if (layer.shown) paintAreas(ids, width, height, under, large, fine, layer.opacity);
        break;
      case "outlines":
        paintLines(ids, width, height, under, large, fine);
        break;
      case "events":
        boxed(layer.dots, paintEvents);
        break;
      case "looked at": {
        paintMarks(ids, width, height, under, large, fine);
        const before = parts.length && grids.length ? large.slice() : null;
        paintGrids(view, width, height, large, thick);
        if (before)
          for (const part of parts) restore(part, before, large, width, height, null, paintDots, thick);
        if (dots) boxed(dots, paintDots);
      }
    }
  }
  if (fine > 1) shrink(large, width, height, fine, out);
  if (solid) {
    context.putImageData(image, 0, 0);
    return;
  }
  if (blank) clear(context, look, screen);
  [scratch.width, scratch.height] = [screen.width, screen.height];
  scratch.getContext("2d")!.putImageData(image, 0, 0);
  context.drawImage(scratch, 0, 0);
}

function clear(context: OffscreenCanvasRenderingContext2D, look: Look, screen: Buffer["screen"]): void {
  const colour = look.background;
  context.fillStyle = `rgb(${colour & 255}, ${(colour >> 8) & 255}, ${(colour >> 16) & 255})`;
  context.fillRect(0, 0, screen.width, screen.height);
}

function paintGrids(view: View, width: number, height: number, out: Uint32Array, thick: number): void {
  if (grids.length && gridIds.length !== width * height) gridIds = new Int32Array(width * height);
  for (const grid of grids) {
    // Lines that stand closer would only colour the map.
    if (Math.min(grid.cells.lattice.width, grid.cells.lattice.height) * view.scale < FINEST_CELL) continue;
    paintGrid(grid.cells, grid.colour, view, width, height, gridIds, out, thick);
  }
}

function corners(lines: readonly Line[]): number {
  return lines.reduce((n, line) => n + line.rings.xy.length / 2, 0);
}

/** Which area is at each pixel, where that is not known from the frame before. */
function fill(view: View, width: number, height: number, parts: readonly Part[]): void {
  const wanted = JSON.stringify([view, width, height, parts.map(({ areas: _, ...p }) => p)]);
  if (wanted === painted) return;
  if (ids.length !== width * height) ids = new Int32Array(width * height);
  fillIds(shown.map, view, width, height, parts, ids);
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
    partsOf(asked.insets, shown, scale),
  );
  const large = new Uint32Array(width * fine * height * fine);
  const pictures = asked.looks.map((look) => {
    const picture = new Uint8ClampedArray(4 * width * height);
    paint(ids, width * fine, height * fine, look, large, fine);
    const out = new Uint32Array(picture.buffer);
    shrink(large, width * fine, height * fine, fine, out);
    for (const box of asked.insets) frameOf(box, asked, width, height, out);
    return picture;
  });
  const answer: FromWorker = { kind: "small", request: asked.request, width, height, pictures };
  self.postMessage(answer, { transfer: pictures.map((p) => p.buffer) });
}

/** A line around a box. */
function frameOf(
  box: InsetBox,
  { ratio, line }: SmallMaps,
  width: number,
  height: number,
  out: Uint32Array,
): void {
  const at = (pixel: number, most: number) => Math.min(Math.max(Math.round(pixel * ratio), 0), most - 1);
  const [left, right] = [at(box.left, width), at(box.left + box.width, width)];
  const [top, bottom] = [at(box.top, height), at(box.top + box.height, height)];
  for (const y of [top, bottom]) out.fill(line, y * width + left, y * width + right + 1);
  for (let y = top; y <= bottom; y++) out[y * width + left] = out[y * width + right] = line;
}

/** What was drawn over the map stops at an inset; events are drawn in it by its own view. */
function restore(
  part: Part,
  before: Uint32Array,
  out: Uint32Array,
  width: number,
  height: number,
  dots: Dots | null,
  paintThem: typeof paintEvents,
  fine: number,
): void {
  const box = new Uint32Array(part.width * part.height);
  for (const [at, from, n] of rowsOf(part, width, height)) box.set(before.subarray(at, at + n), from);
  if (dots && !part.own) paintThem(dots, part.view, part.width, part.height, box, fine);
  for (const [at, from, n] of rowsOf(part, width, height)) out.set(box.subarray(from, from + n), at);
}

type Frame = Extract<ToWorker, { kind: "frame" }>;

/** Lines outside the insets, and in each inset of the map's own projection again by its view. */
function strokeAll(
  context: OffscreenCanvasRenderingContext2D,
  { lines, mapOnly }: Extract<Drawn, { kind: "lines" }>,
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
    if (!shown.insets[i] || shown.insets[i].own || mapOnly) continue;
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
  const { xy, start, owner } = line.rings;
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
    if (line.fill && ring > 0 && owner[ring] !== owner[ring - 1]) {
      // What one feature encloses, without its holes; features may overlap.
      context.fillStyle = line.fill;
      context.fill("evenodd");
      context.beginPath();
    }
    if (!seen && !line.fill) continue;
    for (let i = start[ring]; i < start[ring + 1]; i += 2) {
      const x = (xy[i] - view.left) * scale;
      const y = (view.top - xy[i + 1]) * scale;
      if (i === start[ring]) context.moveTo(x, y);
      else context.lineTo(x, y);
    }
  }
  if (line.fill) {
    context.fillStyle = line.fill;
    context.fill("evenodd");
    return;
  }
  context.stroke();
}
