/** How sure figures are, and how areas are made comparable: what a measure says of that. Knows no React. */
import type { Denominator, Numerator, Place, Plan, Quotient } from "./types";

type Sure = Quotient["sure"];
export type Comparable = NonNullable<Quotient["comparable"]>;
export type Against = NonNullable<Quotient["against"]>;
export type NeighboursBy = Place["neighbours"]["by"];

/** A sum that is taken as it is counted. */
export const AS_COUNTED: Pick<Quotient, "sure" | "comparable" | "smoothed" | "against"> = {
  sure: {
    level: 0.95,
    how: "exact",
    draws: 2000,
    seed: 1,
    marks: { fewer_than: 0, relative_error: null, zero: true },
  },
  comparable: null,
  smoothed: null,
  against: null,
};

/** The same sum with other choices of how sure it is. */
export function surely(measure: Quotient, change: Partial<Sure>): Quotient {
  return { ...measure, sure: { ...measure.sure, ...change } };
}

export function marked(measure: Quotient, change: Partial<Sure["marks"]>): Quotient {
  return surely(measure, { marks: { ...measure.sure.marks, ...change } });
}

/** Can the figures of small areas be drawn towards others: are they rates or shares of events? */
export function canBeDrawn(numerator: Numerator, denominator: Denominator | null): boolean {
  return numerator.kind === "events" && denominator !== null && denominator.kind !== "whole";
}

/** Can they be standardised: are they events divided by people from a table? */
export function canBeStandardised(numerator: Numerator, denominator: Denominator | null): boolean {
  return numerator.kind === "events" && denominator?.kind === "table";
}

/** A sum without what its terms do not bear. */
export function fitting(measure: Quotient): Quotient {
  const { numerator, denominator, comparable } = measure;
  const kept =
    comparable?.kind === "location_quotient" || canBeStandardised(numerator, denominator) ? comparable : null;
  const smoothed = canBeDrawn(numerator, denominator) && kept?.kind !== "direct" ? measure.smoothed : null;
  return { ...measure, comparable: kept, smoothed };
}

/** What the interval is made by, where there is a choice: of counts Byar's approximation, of shares Wilson's. */
export function approximation(measure: Quotient): string | null {
  const { numerator, denominator } = measure;
  if (numerator.kind === "persons") return "Byar’s approximation";
  if (numerator.kind !== "events") return null;
  if (denominator?.kind === "whole") return "Wilson’s";
  if (denominator?.kind !== "events") return "Byar’s approximation";
  return denominator.events === numerator.events ? "Wilson’s" : null;
}

/** Are the intervals made by drawing the events' own numbers anew? */
export function isDrawnAnew(measure: Quotient): boolean {
  const { numerator } = measure;
  return numerator.kind === "figure" && ["sum", "mean", "median"].includes(numerator.take);
}

/** Two areas that are neighbours by the user's word. */
export function linked(place: Place, a: string, b: string): void {
  const known = place.neighbours.links.some(([x, y]) => (x === a && y === b) || (x === b && y === a));
  if (a !== b && !known) place.neighbours.links.push([a, b]);
}

export function unlinked(place: Place, at: number): void {
  place.neighbours.links.splice(at, 1);
}

/** May single events and records be handed on? */
export function letsOutEvents(plan: Plan): boolean {
  return plan.release === null || plan.release.event_points;
}

/** A figure in a field: null where it is none, or beyond its bounds. */
export function within(text: string, least: number, most: number): number | null {
  const value = Number(text.replace(",", "."));
  return text.trim() !== "" && Number.isFinite(value) && value >= least && value <= most ? value : null;
}
