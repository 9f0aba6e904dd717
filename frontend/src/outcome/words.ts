/** Figures and states in words. Knows no React. */
import type { Areas, GridTrial, OneMeasure } from "../api/bulk";
import type { View } from "../api/client";
import { figure, plural } from "../format";
import { mappedMeasure } from "../plan/mapped";

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
  "nobody lives there in one of the groups",
  "no event would be expected there",
];

/** How an area stands to what it is set against, by its code. */
export const SIDE_WORDS: Readonly<Record<number, string>> = {
  [-1]: "lower",
  0: "not different",
  1: "higher",
  2: "cannot be said",
};

/** Why an area's figure is unreliable, in sentences. */
export function doubts(view: View, areas: Areas, area: number): string[] {
  const measure = mappedMeasure(view.plan);
  const marks = measure.kind === "quotient" ? measure.sure.marks : null;
  const says: readonly (readonly [number, string])[] = [
    [1, "only a part of this area counts."],
    [2, "so small that chance may hide a value above that of all areas."],
    [4, `fewer than ${plural(marks?.fewer_than ?? 0, "event")}.`],
    [8, `its standard error is more than ${figure(100 * (marks?.relative_error ?? 0))} % of it.`],
  ];
  return says.filter(([bit]) => (areas.unreliable[area] & bit) > 0).map(([, text]) => text);
}

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
