/** Events as dots and grids as lines, straight into a frame's pixels, over whatever is there. Knows no DOM. */
import { type Cells, fillCells } from "../geometry/lattice";
import { NOTHING } from "../geometry/scanline";
import type { View } from "../geometry/view";

export interface Dots {
  x: Float32Array;
  y: Float32Array;
  /** 0xAABBGGRR, one each. */
  colour: Uint32Array;
}

const REACH = 1.25;
/** From so many dots on a frame, not each is drawn but how many there are at each place. */
export const MANY_DOTS = 4_000;
const FAINTEST = 0.3;

/** A small square for each dot; `fine` is how many buffer pixels make one of the screen. */
export function paintDots(
  dots: Dots,
  view: View,
  width: number,
  height: number,
  out: Uint32Array,
  fine: number,
): void {
  const reach = Math.max(1, Math.round(REACH * fine));
  for (let i = 0; i < dots.x.length; i++) {
    const px = Math.floor((dots.x[i] - view.left) * view.scale);
    const py = Math.floor((view.top - dots.y[i]) * view.scale);
    if (px < 0 || py < 0 || px >= width || py >= height) continue;
    const [left, right] = [Math.max(px - reach, 0), Math.min(px + reach, width - 1)];
    for (let y = Math.max(py - reach, 0); y <= Math.min(py + reach, height - 1); y++) {
      out.fill(dots.colour[i], y * width + left, y * width + right + 1);
    }
  }
}

/**
 * Dots where they are few; where they are many, every place the darker the more there are, by the logarithm, so that it
 * keeps telling one from ten and a thousand from ten thousand. Where kinds have colours, a place has the mean of its own.
 */
export function paintEvents(
  dots: Dots,
  view: View,
  width: number,
  height: number,
  out: Uint32Array,
  fine: number,
): void {
  if (seen(dots, view, width, height) <= MANY_DOTS) {
    paintDots(dots, view, width, height, out, fine);
    return;
  }
  const reach = Math.max(1, fine);
  const [across, down] = [Math.ceil(width / reach), Math.ceil(height / reach)];
  const count = new Uint32Array(across * down);
  const sums = [0, 8, 16].map(() => new Float64Array(across * down));
  const plain = dots.colour.length > 0 && dots.colour.every((c) => c === dots.colour[0]);
  for (let i = 0; i < dots.x.length; i++) {
    const px = Math.floor(((dots.x[i] - view.left) * view.scale) / reach);
    const py = Math.floor(((view.top - dots.y[i]) * view.scale) / reach);
    if (px < 0 || py < 0 || px >= across || py >= down) continue;
    const at = py * across + px;
    count[at]++;
    if (plain) continue;
    for (let k = 0; k < 3; k++) sums[k][at] += (dots.colour[i] >> (8 * k)) & 255;
  }
  const most = count.reduce((a, b) => Math.max(a, b), 0);
  const full = Math.log1p(most);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const place = Math.floor(y / reach) * across + Math.floor(x / reach);
      const n = count[place];
      if (!n) continue;
      const colour = plain
        ? dots.colour[0]
        : sums.reduce((c, sum, k) => c | (Math.round(sum[place] / n) << (8 * k)), 0);
      const share = most > 1 ? FAINTEST + (1 - FAINTEST) * (Math.log1p(n) / full) : 1;
      out[y * width + x] = over(colour, share, out[y * width + x]);
    }
  }
}

/** How many dots lie on the frame. */
function seen(dots: Dots, view: View, width: number, height: number): number {
  const [right, bottom] = [view.left + width / view.scale, view.top - height / view.scale];
  let n = 0;
  for (let i = 0; i < dots.x.length; i++)
    if (dots.x[i] >= view.left && dots.x[i] < right && dots.y[i] <= view.top && dots.y[i] > bottom) n++;
  return n;
}

/** A colour that covers `share` of what is below it. */
function over(colour: number, share: number, below: number): number {
  const under = ((below >>> 24) / 255) * (1 - share);
  const alpha = share + under;
  let found = Math.round(255 * alpha) << 24;
  for (const shift of [0, 8, 16]) {
    const mixed = (((colour >> shift) & 255) * share + ((below >> shift) & 255) * under) / alpha;
    found |= Math.round(mixed) << shift;
  }
  return found >>> 0;
}

/** The borders of a grid's cells, as lines of that colour; `ids` is scratch room. */
export function paintGrid(
  cells: Cells,
  colour: number,
  view: View,
  width: number,
  height: number,
  ids: Int32Array,
  out: Uint32Array,
  fine: number,
): void {
  fillCells(cells, view, width, height, ids);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const at = y * width + x;
      const id = ids[at];
      const right = x + fine < width ? ids[at + fine] : id;
      const below = y + fine < height ? ids[at + fine * width] : id;
      if ((right !== id || below !== id) && (id !== NOTHING || right !== NOTHING || below !== NOTHING))
        out[at] = colour;
    }
  }
}
