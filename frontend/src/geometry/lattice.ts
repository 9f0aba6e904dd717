/**
 * Cells into the id buffer, through the inverse of the grid: a cell is two integers, not a polygon, so that a frame
 * costs the same for a thousand cells as for a million. The frame is that of `core/place/grid.py`.
 */
import { NOTHING } from "./scanline";
import type { View } from "./view";

/** Where the cells of a grid lie, in metres of the drawing's plane. */
export interface Lattice {
  hexagon: boolean;
  /** Hexagons with a side on top: the two axes of the frame are exchanged. */
  swapped: boolean;
  width: number;
  height: number;
  originX: number;
  originY: number;
  cosine: number;
  sine: number;
}

export interface Cells {
  lattice: Lattice;
  /** The lowest column and row, and how many of each there are. */
  lowColumn: number;
  lowRow: number;
  columns: number;
  rows: number;
  /** The area at each place of that rectangle, row by row, or NOTHING. */
  at: Int32Array;
}

/** As the server writes it: "hexagon corner", and width, height, origin, cosine and sine. */
export function latticeOf(shape: string, frame: string): Lattice {
  const [width, height, originX, originY, cosine, sine] = frame.split(",").map(Number);
  const hexagon = shape.startsWith("hexagon");
  return { hexagon, swapped: shape === "hexagon side", width, height, originX, originY, cosine, sine };
}

/** Lay cells out as a rectangle of columns and rows. */
export function cellTable(
  column: Int32Array,
  row: Int32Array,
  area: Int32Array | null,
  lattice: Lattice,
): Cells {
  let lowColumn = Infinity;
  let highColumn = -Infinity;
  let lowRow = Infinity;
  let highRow = -Infinity;
  for (let i = 0; i < column.length; i++) {
    lowColumn = Math.min(lowColumn, column[i]);
    highColumn = Math.max(highColumn, column[i]);
    lowRow = Math.min(lowRow, row[i]);
    highRow = Math.max(highRow, row[i]);
  }
  const columns = column.length ? highColumn - lowColumn + 1 : 0;
  const rows = column.length ? highRow - lowRow + 1 : 0;
  const at = new Int32Array(columns * rows).fill(NOTHING);
  for (let i = 0; i < column.length; i++) {
    at[(row[i] - lowRow) * columns + column[i] - lowColumn] = area ? area[i] : i;
  }
  return { lattice, lowColumn, lowRow, columns, rows, at };
}

/** The area that holds a point of the plane, or NOTHING: the nearest centre, as on the server. */
export function cellAt(cells: Cells, x: number, y: number): number {
  const { swapped, originX, originY, cosine, sine } = cells.lattice;
  const along = (x - originX) * cosine + (y - originY) * sine;
  const across = (y - originY) * cosine - (x - originX) * sine;
  return swapped ? areaAt(cells, across, along) : areaAt(cells, along, across);
}

/** The centre of a cell in the plane. */
export function cellCentre(lattice: Lattice, column: number, row: number): [number, number] {
  const { hexagon, swapped, width, height, originX, originY, cosine, sine } = lattice;
  const u = hexagon ? (column + 0.5 * (row & 1)) * width : (column + 0.5) * width;
  const v = hexagon ? row * height : (row + 0.5) * height;
  const [along, across] = swapped ? [v, u] : [u, v];
  return [originX + along * cosine - across * sine, originY + along * sine + across * cosine];
}

/** The same for a point of the lattice's own frame. */
function areaAt(cells: Cells, u: number, v: number): number {
  const { hexagon, width, height } = cells.lattice;
  const low = Math.floor(v / height);
  if (!hexagon) return found(cells, Math.floor(u / width), low);
  const odd = 0.5 * (low & 1);
  const below = Math.ceil(u / width - odd - 0.5);
  const above = Math.ceil(u / width + odd - 1);
  const down = v - low * height;
  const up = down - height;
  const ux = u - (below + odd) * width;
  const ox = u - (above + 0.5 - odd) * width;
  return ox * ox + up * up < ux * ux + down * down ? found(cells, above, low + 1) : found(cells, below, low);
}

function found(cells: Cells, column: number, row: number): number {
  const c = column - cells.lowColumn;
  const r = row - cells.lowRow;
  return c >= 0 && c < cells.columns && r >= 0 && r < cells.rows ? cells.at[r * cells.columns + c] : NOTHING;
}

/** Fill `ids` (width * height) with the area at each pixel's centre, or NOTHING. */
export function fillCells(cells: Cells, view: View, width: number, height: number, ids: Int32Array): void {
  ids.fill(NOTHING);
  const { hexagon, swapped, originX, originY, cosine, sine } = cells.lattice;
  const level = sine === 0 && cosine === 1 && !swapped;
  const tall = cells.lattice.height;
  for (let py = 0; py < height; py++) {
    const y = view.top - (py + 0.5) / view.scale - originY;
    // Near the middle of a row only that row's cells can be met: whole runs at a time.
    const row = hexagon ? Math.round(y / tall) : Math.floor(y / tall);
    if (level && (!hexagon || Math.abs(y - row * tall) < tall / 3)) {
      fillRun(cells, view, width, ids, py, row);
      continue;
    }
    const [u0, v0] = [y * sine, y * cosine];
    for (let px = 0; px < width; px++) {
      const x = view.left + (px + 0.5) / view.scale - originX;
      const [u, v] = [x * cosine + u0, v0 - x * sine];
      ids[py * width + px] = swapped ? areaAt(cells, v, u) : areaAt(cells, u, v);
    }
  }
}

function fillRun(cells: Cells, view: View, width: number, ids: Int32Array, py: number, row: number): void {
  const { hexagon, width: wide, originX } = cells.lattice;
  const r = row - cells.lowRow;
  if (r < 0 || r >= cells.rows) return;
  const shift = hexagon ? 0.5 * (row & 1) - 0.5 : 0;
  const left = view.left - originX;
  const first = Math.max(Math.floor(left / wide - shift) - 1, cells.lowColumn);
  const last = Math.min(
    Math.ceil((left + width / view.scale) / wide - shift) + 1,
    cells.lowColumn + cells.columns - 1,
  );
  for (let column = first; column <= last; column++) {
    const id = cells.at[r * cells.columns + column - cells.lowColumn];
    if (id === NOTHING) continue;
    const from = ((column + shift) * wide - left) * view.scale;
    const to = ((column + shift + 1) * wide - left) * view.scale;
    const a = Math.max(0, Math.ceil(from - 0.5));
    const b = Math.min(width, Math.ceil(to - 0.5));
    if (a < b) ids.fill(id, py * width + a, py * width + b);
  }
}
