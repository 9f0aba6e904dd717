/** From the id buffer to colours: a look-up for each pixel, hairlines where neighbours differ, hatching for no value. */
import { NOTHING } from "../geometry/scanline";

export interface Look {
  /** For each area its colour as 0xAABBGGRR. */
  colour: Uint32Array;
  /** For each area 1 where it has no value and is hatched. */
  hatched: Uint8Array;
  /** For each area whether its number is in doubt, and stands under a screen of dots: `LIGHTLY` where it is a zero that
   * chance may have made, which on a fine grid most are. */
  doubtful: Uint8Array;
  background: number;
  hairline: number;
  ink: number;
  hatch: number;
  /** Areas drawn with a strong outline: under the pointer, and selected. */
  marked: readonly number[];
  /** For each area how its outline is drawn: 0 not at all, since lines would drown a small one; 1 as a hairline; above
   * that, one less in pixels of the screen. */
  lined: Uint8Array;
}

const HATCH_PIXELS = 7;
const SCREEN_PIXELS = 5;
const SCREEN_DOT = 1.5;
/** From so many pixels on, filling them at once is quicker than one by one. */
const LONG_RUN = 24;
const LIGHT_PIXELS = 12;
export const LIGHTLY = 2;

/** Colour `ids` (width * height) into `out`, run by run of one area: the areas, the lines between them, and a strong line
 * around those that are marked. `fine` is how many buffer pixels make one of the screen. */
export function paint(
  ids: Int32Array,
  width: number,
  height: number,
  look: Look,
  out: Uint32Array,
  fine: number,
): void {
  paintAreas(ids, width, height, look, out, fine);
  paintLines(ids, width, height, look, out, fine);
  paintMarks(ids, width, height, look, out, fine);
}

/** The areas alone, `opacity` 0 to 1, and the background. */
export function paintAreas(
  ids: Int32Array,
  width: number,
  height: number,
  look: Look,
  out: Uint32Array,
  fine: number,
  opacity = 1,
): void {
  const { hatched, doubtful, background } = look;
  const faint = (colour: number) => ((colour & 0xffffff) | (Math.round(255 * opacity) << 24)) >>> 0;
  const colour = opacity < 1 ? look.colour.map(faint) : look.colour;
  const ink = opacity < 1 ? faint(look.hatch) : look.hatch;
  for (let y = 0; y < height; y++) {
    const row = y * width;
    for (let from = 0, to = 0; from < width; from = to) {
      to = endOf(ids, row, from, width);
      const id = ids[row + from];
      const fill = id === NOTHING ? background : colour[id];
      if (to - from > LONG_RUN) out.fill(fill, row + from, row + to);
      else for (let at = row + from; at < row + to; at++) out[at] = fill;
      if (id === NOTHING) continue;
      if (hatched[id]) hatch({ y, from, to }, width, ink, out, fine);
      if (doubtful[id]) dots({ y, from, to }, width, doubtful[id], ink, out, fine);
    }
  }
}

/** The lines between areas alone. */
export function paintLines(
  ids: Int32Array,
  width: number,
  height: number,
  look: Look,
  out: Uint32Array,
  fine: number,
): void {
  const thickest = look.lined.reduce((a, b) => Math.max(a, b), 0);
  if (thickest === 1) hairlines(ids, width, height, look, out);
  else if (thickest > 1) thickLines(ids, width, height, look, thickest, out, fine);
}

/** A strong line around each marked area, inside it. */
export function paintMarks(
  ids: Int32Array,
  width: number,
  height: number,
  look: Look,
  out: Uint32Array,
  fine: number,
): void {
  if (!look.marked.length) return;
  const isMarked = new Uint8Array(look.colour.length);
  for (const id of look.marked) isMarked[id] = 1;
  for (let y = 0; y < height; y++)
    for (let from = 0, to = 0; from < width; from = to) {
      to = endOf(ids, y * width, from, width);
      const id = ids[y * width + from];
      if (id !== NOTHING && isMarked[id]) outline(ids, width, height, { y, from, to }, look.ink, out, fine);
    }
}

/** Where in a row the run of one area that begins there ends. */
function endOf(ids: Int32Array, row: number, from: number, width: number): number {
  const id = ids[row + from];
  let to = from + 1;
  while (to < width && ids[row + to] === id) to++;
  return to;
}

/** Pixels of one area in a row: `from` is the first, `to` the one after the last. */
interface Run {
  y: number;
  from: number;
  to: number;
}

function hatch({ y, from, to }: Run, width: number, ink: number, out: Uint32Array, fine: number): void {
  const spacing = HATCH_PIXELS * fine;
  for (let x = from; x < to; x++) if ((x + y) % spacing < fine) out[y * width + x] = ink;
}

function dots(
  { y, from, to }: Run,
  width: number,
  doubt: number,
  ink: number,
  out: Uint32Array,
  fine: number,
): void {
  const spacing = (doubt === LIGHTLY ? LIGHT_PIXELS : SCREEN_PIXELS) * fine;
  const dot = doubt === LIGHTLY ? fine : SCREEN_DOT * fine;
  if (y % spacing >= dot) return;
  for (let x = from; x < to; x++) if (x % spacing < dot) out[y * width + x] = ink;
}

/** A line where the area to the right or below is another one, unless one of them is too small for lines. */
function hairlines(ids: Int32Array, width: number, height: number, look: Look, out: Uint32Array): void {
  const { lined, hairline } = look;
  for (let y = 0; y < height; y++) {
    const [row, below] = [y * width, y + 1 < height ? width : 0];
    for (let x = 0, at = row; x < width; x++, at++) {
      const id = ids[at];
      const right = x + 1 < width ? ids[at + 1] : id;
      const under = ids[at + below];
      if (right === id && under === id) continue;
      if (
        (id === NOTHING || lined[id]) &&
        (right === NOTHING || lined[right]) &&
        (under === NOTHING || lined[under])
      )
        out[at] = hairline;
    }
  }
}

/** A line where, within its thickness, another area lies to the right or below. */
function thickLines(
  ids: Int32Array,
  width: number,
  height: number,
  look: Look,
  thickest: number,
  out: Uint32Array,
  fine: number,
): void {
  const { lined, hairline } = look;
  const pixels = (thick: number) => (thick <= 1 ? 1 : (thick - 1) * fine);
  const reach = pixels(thickest);
  const isLine = (id: number, x: number, y: number, at: number): boolean => {
    const own = id === NOTHING ? thickest : lined[id];
    for (let k = 1; k <= reach; k++) {
      const right = x + k < width ? ids[at + k] : id;
      const below = y + k < height ? ids[at + k * width] : id;
      for (let side = 0; side < 2; side++) {
        const other = side ? below : right;
        if (other === id) continue;
        const thick = Math.min(own, other === NOTHING ? thickest : lined[other]);
        if (thick > 0 && k <= pixels(thick)) return true;
      }
    }
    return false;
  };
  for (let y = 0; y < height; y++)
    for (let x = 0, at = y * width; x < width; x++, at++) if (isLine(ids[at], x, y, at)) out[at] = hairline;
}

/** The part of a run that a strong line around its area, inside it, covers. */
function outline(
  ids: Int32Array,
  width: number,
  height: number,
  { y, from, to }: Run,
  ink: number,
  out: Uint32Array,
  fine: number,
): void {
  const reach = 2 * fine;
  const id = ids[y * width + from];
  for (let x = from, at = y * width + from; x < to; x++, at++) {
    const rim =
      (x >= reach && ids[at - reach] !== id) ||
      (x + reach < width && ids[at + reach] !== id) ||
      (y >= reach && ids[at - reach * width] !== id) ||
      (y + reach < height && ids[at + reach * width] !== id);
    if (rim) out[at] = ink;
  }
}

/** "#rrggbb" as 0xAABBGGRR, opaque. */
export function packed(hex: string): number {
  const [r, g, b] = [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));
  return ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0;
}

/** Average blocks of `fine` x `fine` pixels: the smooth edges of a still frame. What is transparent has no colour. */
export function shrink(
  pixels: Uint32Array,
  width: number,
  height: number,
  fine: number,
  out: Uint32Array,
): void {
  const outWidth = width / fine;
  const isEven = (from: number): boolean => {
    for (let dy = 0; dy < fine; dy++)
      for (let dx = 0; dx < fine; dx++) if (pixels[from + dy * width + dx] !== pixels[from]) return false;
    return true;
  };
  for (let y = 0; y < height / fine; y++) {
    for (let x = 0; x < outWidth; x++) {
      const from = y * fine * width + x * fine;
      if (isEven(from)) {
        out[y * outWidth + x] = pixels[from];
        continue;
      }
      let [r, g, b, alpha] = [0, 0, 0, 0];
      for (let dy = 0; dy < fine; dy++) {
        for (let dx = 0; dx < fine; dx++) {
          const c = pixels[from + dy * width + dx];
          const a = c >>> 24;
          r += a * (c & 255);
          g += a * ((c >> 8) & 255);
          b += a * ((c >> 16) & 255);
          alpha += a;
        }
      }
      const mean = alpha / (fine * fine);
      out[y * outWidth + x] =
        alpha === 0 ? 0 : ((mean << 24) | ((b / alpha) << 16) | ((g / alpha) << 8) | (r / alpha)) >>> 0;
    }
  }
}
