/** Figures and states in words. Knows no React. */
import type { Areas, GridTrial } from "../api/bulk";
import { figure } from "../format";

/** What an area's value is where it is not a number, by its code. */
export const STATE_WORDS = [
  "a number",
  "not recorded",
  "not reported",
  "no denominator",
  "suppressed",
  "excluded",
  "cannot be worked out",
];

/** What an area's value says. */
export function valueText(areas: Areas, area: number): string {
  const value = areas.value[area];
  return Number.isNaN(value) ? STATE_WORDS[areas.state[area]] : figure(value);
}

/** What a grid comes to that is only tried out. */
export function trialText(trial: GridTrial): string {
  return `${Math.round(100 * trial.emptyShare)} % empty, ${figure(trial.eventsPerOccupied)} per occupied cell`;
}
