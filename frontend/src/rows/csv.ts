/** Rows as they are shown, as CSV (RFC 4180). Knows no React. */
import type { Cell } from "./sorting";

const BITING = /^[=+\-@\t\r]/;
const NUMBER = /^[+-]?[0-9][0-9., ]*([eE][+-]?[0-9]+)?$/;

/** Columns and rows in the order in which they are seen. A text that a spreadsheet would run as a formula has a ' before
 * it. */
export function csvOf(
  titles: readonly string[],
  rows: readonly (readonly Cell[])[],
  order: readonly number[],
): string {
  const lines = [titles, ...order.map((at) => rows[at])];
  return lines.map((cells) => `${cells.map(field).join(",")}\r\n`).join("");
}

function field(cell: Cell): string {
  if (cell === null) return "";
  if (typeof cell === "number") return String(cell);
  const text = BITING.test(cell) && !NUMBER.test(cell) ? `'${cell}` : cell;
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

export function saveText(text: string, name: string): void {
  const address = URL.createObjectURL(new Blob([text], { type: "text/csv;charset=utf-8" }));
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  URL.revokeObjectURL(address);
}
