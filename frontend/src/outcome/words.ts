/** Figures and states in words. Knows no React. */
import type { Areas, GridTrial, OneMeasure } from "../api/bulk";
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

/** Why a value cannot be worked out, by its code. */
export const WHY_WORDS = [
  "",
  "divided by zero",
  "the root of a number below zero",
  "the logarithm of a number that is not above zero",
  "a power that is no number",
  "too large a number",
  "no event has a number",
  "fewer than two events",
  "no event is of a kind",
  "several kinds are equally common",
  "its rows say different things",
];

/** What an area's value says. */
export function valueText(areas: Areas, area: number): string {
  const value = areas.value[area];
  return Number.isNaN(value) ? stateText(areas, area) : wordOrFigure(areas, value);
}

/** A value that is known, as a word where values are words. */
export function wordOrFigure(of: { words: readonly string[] }, value: number): string {
  return of.words.length ? of.words[value] : figure(value);
}

/** The value of another measure than the mapped one. */
export function besideText(values: OneMeasure, area: number): string {
  const value = values.value[area];
  return Number.isNaN(value) ? STATE_WORDS[values.state[area]] : wordOrFigure(values, value);
}

/** What an area is that has no number, and why where that is known. */
export function stateText(areas: Areas, area: number): string {
  const why = WHY_WORDS[areas.why[area]];
  return why ? `${STATE_WORDS[areas.state[area]]}: ${why}` : STATE_WORDS[areas.state[area]];
}

/** What a grid comes to that is only tried out. */
export function trialText(trial: GridTrial): string {
  return `${Math.round(100 * trial.emptyShare)} % empty, ${figure(trial.eventsPerOccupied)} per occupied cell`;
}
