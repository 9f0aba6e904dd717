/** Where an open sheet hangs, and what it leaves free of the map. All in pixels from the map's left edge. */

import { unit } from "../unit";
import { STAGES, type Stage } from "./store";

const LEAST_MAP = 160;
/** From this width on, both sides of a sheet are a map. */
const WIDE = 1_500;
const [LEAST_WIDTH, LEAST_HEIGHT] = [720, 500];

/** Is a window too small for all to stand beside each other? */
export function isSmall(width: number, height: number): boolean {
  return width < LEAST_WIDTH || height < LEAST_HEIGHT;
}

/** How wide a stage's sheet is: a sum needs room for what each term rests on. */
export function sheetWidth(stage: Stage, windowWidth: number): number {
  return Math.min((stage === "measure" ? 440 : 320) * unit, 0.5 * windowWidth);
}
export function cardWidth(windowWidth: number): number {
  return Math.min(280 * unit, 0.4 * windowWidth);
}
/** Wider for larger text, but the map keeps more than half of the window. */
export function railWidth(windowWidth: number): number {
  return Math.min(340 * unit, 0.46 * windowWidth);
}

/** A sheet hangs from its own column, as far as rail and card leave it room: neither is ever covered. Where it would cut
 * the map of a narrow window in two, it stands at the rail instead. */
export function sheetLeft(stage: Stage, card: boolean, windowWidth: number): number {
  const most =
    windowWidth -
    railWidth(windowWidth) -
    sheetWidth(stage, windowWidth) -
    (card ? cardWidth(windowWidth) : 0);
  const from = Math.max(0, Math.min(columnLeft(stage, windowWidth), most));
  return windowWidth < WIDE * unit && from > 0 && most - from > 0 ? 0 : from;
}

/** Where a stage's column of the account line begins. */
export function columnLeft(stage: Stage, windowWidth: number): number {
  return (STAGES.indexOf(stage) * windowWidth) / STAGES.length - railWidth(windowWidth);
}

/** The margins that sheet and card take from the map: of the two sides of a sheet the wider stays free. */
export function taken(
  sheet: Stage | null,
  card: boolean,
  windowWidth: number,
): { left: number; right: number } {
  const right = card ? cardWidth(windowWidth) : 0;
  if (!sheet) return { left: 0, right };
  const from = sheetLeft(sheet, card, windowWidth);
  const to = from + sheetWidth(sheet, windowWidth);
  const width = windowWidth - railWidth(windowWidth);
  const margins = from > width - right - to ? { left: 0, right: width - from } : { left: to, right };
  // A sliver is no map: rather let the sheet hang over it.
  return width - margins.left - margins.right < LEAST_MAP ? { left: 0, right: 0 } : margins;
}
