/** The order of cells, and how one is written. */

import { figure, whole } from "../format";

export type Cell = string | number | null;

export function written(cell: Cell): string {
  if (cell === null) return "";
  if (typeof cell === "string") return cell;
  return Number.isInteger(cell) ? whole(cell) : figure(cell);
}

/** Numbers before words, blanks last, whichever the direction. */
export function compare(a: Cell, b: Cell, down: boolean): number {
  const kind = (c: Cell) => (c === null || c === "" ? 2 : typeof c === "number" ? 0 : 1);
  if (kind(a) !== kind(b) || kind(a) === 2) return kind(a) - kind(b);
  const less =
    typeof a === "number" && typeof b === "number"
      ? a - b
      : String(a).localeCompare(String(b), "en", { numeric: true });
  return down ? -less : less;
}
