/** Where an open sheet hangs, and what it leaves free of the map. All in pixels from the map's left edge. */
import { STAGES, type Stage } from "../state/store";

export const SHEET_WIDTH = 320;
export const CARD_WIDTH = 280;
export const RAIL_WIDTH = 340;

/** A sheet hangs from its own column; Gather's hangs over the rail. It never covers the card. */
export function sheetLeft(stage: Stage, card: boolean, windowWidth: number): number {
  const column = STAGES.indexOf(stage);
  if (column === 0) return -RAIL_WIDTH;
  const most = windowWidth - RAIL_WIDTH - SHEET_WIDTH - (card ? CARD_WIDTH : 0);
  return Math.max(0, Math.min((column * windowWidth) / STAGES.length - RAIL_WIDTH, most));
}

/** The margins that sheet and card take from the map: of the two sides of a sheet the wider stays free. */
export function taken(
  sheet: Stage | null,
  card: boolean,
  windowWidth: number,
): { left: number; right: number } {
  const right = card ? CARD_WIDTH : 0;
  if (!sheet) return { left: 0, right };
  const from = sheetLeft(sheet, card, windowWidth);
  const to = from + SHEET_WIDTH;
  if (to <= 0) return { left: 0, right };
  const width = windowWidth - RAIL_WIDTH;
  return from > width - right - to ? { left: 0, right: width - from } : { left: to, right };
}
