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

/** A small square for each dot; `fine` is how many buffer pixels make one of the screen. */
export function paintDots(
  dots: Dots,
  view: View,
  width: number,
  height: number,
  out: Uint32Array,
  fine: number,
): number {
  const reach = Math.max(1, Math.round(REACH * fine));
  let seen = 0;
  for (let i = 0; i < dots.x.length; i++) {
    const px = Math.floor((dots.x[i] - view.left) * view.scale);
    const py = Math.floor((view.top - dots.y[i]) * view.scale);
    if (px < 0 || py < 0 || px >= width || py >= height) continue;
    seen++;
    const [left, right] = [Math.max(px - reach, 0), Math.min(px + reach, width - 1)];
    for (let y = Math.max(py - reach, 0); y <= Math.min(py + reach, height - 1); y++) {
      out.fill(dots.colour[i], y * width + left, y * width + right + 1);
    }
  }
  return seen;
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
