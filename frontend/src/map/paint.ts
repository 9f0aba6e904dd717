/** From the id buffer to colours: a look-up for each pixel, hairlines where neighbours differ, hatching for no value. */
import { NOTHING } from "../geometry/scanline";

export interface Look {
  /** For each area its colour as 0xAABBGGRR. */
  colour: Uint32Array;
  /** For each area 1 where it has no value and is hatched. */
  hatched: Uint8Array;
  /** For each area 1 where its number is in doubt, and stands under a screen of dots. */
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

/** Colour `ids` (width * height) into `out`. `fine` is how many buffer pixels make one of the screen. */
export function paint(
  ids: Int32Array,
  width: number,
  height: number,
  look: Look,
  out: Uint32Array,
  fine: number,
): void {
  const { colour, hatched, doubtful, background, hairline, hatch, lined } = look;
  const spacing = HATCH_PIXELS * fine;
  const step = SCREEN_PIXELS * fine;
  const dot = SCREEN_DOT * fine;
  const thickest = lined.reduce((a, b) => Math.max(a, b), 0);
  /** Is there, within the thickness of a line, another area to the right or below? */
  const isLine = (id: number, x: number, y: number, at: number): boolean => {
    const own = id === NOTHING ? thickest : lined[id];
    const reach = thickest <= 1 ? 1 : (thickest - 1) * fine;
    for (let k = 1; k <= reach; k++) {
      const right = x + k < width ? ids[at + k] : id;
      const below = y + k < height ? ids[at + k * width] : id;
      for (const other of [right, below]) {
        if (other === id) continue;
        const thick = Math.min(own, other === NOTHING ? thickest : lined[other]);
        if (thick > 0 && k <= (thick <= 1 ? 1 : (thick - 1) * fine)) return true;
      }
    }
    return false;
  };
  for (let y = 0; y < height; y++) {
    const row = y * width;
    for (let x = 0; x < width; x++) {
      const at = row + x;
      const id = ids[at];
      const right = x + 1 < width ? ids[at + 1] : id;
      const below = y + 1 < height ? ids[at + width] : id;
      const hair =
        (right !== id || below !== id) &&
        (id === NOTHING || lined[id]) &&
        (right === NOTHING || lined[right]) &&
        (below === NOTHING || lined[below]);
      if (thickest <= 1 ? hair : isLine(id, x, y, at)) {
        out[at] = hairline;
      } else if (id === NOTHING) {
        out[at] = background;
      } else {
        const marked =
          (hatched[id] && (x + y) % spacing < fine) || (doubtful[id] && x % step < dot && y % step < dot);
        out[at] = marked ? hatch : colour[id];
      }
    }
  }
  if (look.marked.length) outline(ids, width, height, look, out, fine);
}

/** A strong line around each marked area, inside it. */
function outline(
  ids: Int32Array,
  width: number,
  height: number,
  { marked, colour, ink }: Look,
  out: Uint32Array,
  fine: number,
): void {
  const reach = 2 * fine;
  const isMarked = new Uint8Array(colour.length);
  for (const id of marked) isMarked[id] = 1;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const at = y * width + x;
      const id = ids[at];
      if (id === NOTHING || !isMarked[id]) continue;
      const rim =
        (x >= reach && ids[at - reach] !== id) ||
        (x + reach < width && ids[at + reach] !== id) ||
        (y >= reach && ids[at - reach * width] !== id) ||
        (y + reach < height && ids[at + reach * width] !== id);
      if (rim) out[at] = ink;
    }
  }
}

/** "#rrggbb" as 0xAABBGGRR, opaque. */
export function packed(hex: string): number {
  const [r, g, b] = [1, 3, 5].map((i) => Number.parseInt(hex.slice(i, i + 2), 16));
  return ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0;
}

/** Average blocks of `fine` x `fine` pixels: the smooth edges of a still frame. */
export function shrink(
  pixels: Uint32Array,
  width: number,
  height: number,
  fine: number,
  out: Uint32Array,
): void {
  const outWidth = width / fine;
  for (let y = 0; y < height / fine; y++) {
    for (let x = 0; x < outWidth; x++) {
      let r = 0;
      let g = 0;
      let b = 0;
      for (let dy = 0; dy < fine; dy++) {
        for (let dx = 0; dx < fine; dx++) {
          const c = pixels[(y * fine + dy) * width + x * fine + dx];
          r += c & 255;
          g += (c >> 8) & 255;
          b += (c >> 16) & 255;
        }
      }
      const n = fine * fine;
      out[y * outWidth + x] = ((255 << 24) | ((b / n) << 16) | ((g / n) << 8) | (r / n)) >>> 0;
    }
  }
}
