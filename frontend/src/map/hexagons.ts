/**
 * Cells into the id buffer, through the inverse of the grid: a cell is two integers, not a polygon, so that a frame
 * costs the same for a thousand cells as for a million. A corner is on top; see `core/place/grid.py`.
 */
import { NOTHING } from "./scanline";
import type { View } from "./view";

export interface Cells {
  width: number;
  /** The lowest column and row, and how many of each there are. */
  lowColumn: number;
  lowRow: number;
  columns: number;
  rows: number;
  /** The cell at each place of that rectangle, row by row, or NOTHING. */
  at: Int32Array;
}

/** Lay cells out as a rectangle of columns and rows. */
export function cellTable(column: Int32Array, row: Int32Array, width: number): Cells {
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
  for (let i = 0; i < column.length; i++) at[(row[i] - lowRow) * columns + column[i] - lowColumn] = i;
  return { width, lowColumn, lowRow, columns, rows, at };
}

/** The cell that holds a point of the plane, or NOTHING: the nearest centre, as on the server. */
export function cellAt(cells: Cells, x: number, y: number): number {
  const tall = (cells.width * Math.sqrt(3)) / 2;
  const low = Math.floor(y / tall);
  let least = Infinity;
  let found = NOTHING;
  for (let row = low; row <= low + 1; row++) {
    const half = (row & 1) * 0.5;
    const column = Math.ceil(x / cells.width - half - 0.5);
    const dx = x - (column + half) * cells.width;
    const dy = y - row * tall;
    if (dx * dx + dy * dy < least) {
      least = dx * dx + dy * dy;
      const c = column - cells.lowColumn;
      const r = row - cells.lowRow;
      found =
        c >= 0 && c < cells.columns && r >= 0 && r < cells.rows ? cells.at[r * cells.columns + c] : NOTHING;
    }
  }
  return found;
}

/** Fill `ids` (width * height) with the cell at each pixel's centre, or NOTHING. */
export function fillCells(cells: Cells, view: View, width: number, height: number, ids: Int32Array): void {
  ids.fill(NOTHING);
  const tall = (cells.width * Math.sqrt(3)) / 2;
  for (let py = 0; py < height; py++) {
    const y = view.top - (py + 0.5) / view.scale;
    const nearest = Math.round(y / tall);
    // Within a third of a row's height from its middle only that row's cells can be met: whole runs at a time.
    if (Math.abs(y - nearest * tall) < tall / 3) {
      fillRun(cells, view, width, ids, py, nearest);
    } else {
      for (let px = 0; px < width; px++) {
        ids[py * width + px] = cellAt(cells, view.left + (px + 0.5) / view.scale, y);
      }
    }
  }
}

function fillRun(cells: Cells, view: View, width: number, ids: Int32Array, py: number, row: number): void {
  const r = row - cells.lowRow;
  if (r < 0 || r >= cells.rows) return;
  const half = (row & 1) * 0.5;
  const first = Math.max(Math.floor(view.left / cells.width - half - 0.5), cells.lowColumn);
  const last = Math.min(
    Math.ceil((view.left + width / view.scale) / cells.width - half + 0.5),
    cells.lowColumn + cells.columns - 1,
  );
  for (let column = first; column <= last; column++) {
    const id = cells.at[r * cells.columns + column - cells.lowColumn];
    if (id === NOTHING) continue;
    const from = ((column + half - 0.5) * cells.width - view.left) * view.scale;
    const to = ((column + half + 0.5) * cells.width - view.left) * view.scale;
    const a = Math.max(0, Math.ceil(from - 0.5));
    const b = Math.min(width, Math.ceil(to - 0.5));
    if (a < b) ids.fill(id, py * width + a, py * width + b);
  }
}
