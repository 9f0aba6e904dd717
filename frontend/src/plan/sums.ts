/** Sums and their terms: making them, telling them apart, and what a changed one is called. Knows no React. */
import { hasTime } from "./mapped";
import { AS_COUNTED, fitting } from "./sure";
import type { Category, Denominator, InWords, Numerator, Plan, Quotient, Term } from "./types";

/** The multipliers that are offered. */
export const POWERS = [1, 10, 100, 1000, 10000, 100000, 1000000] as const;

/** All events of a source. */
export function ofEvents(events: string): Extract<Term, { kind: "events" }> {
  return { kind: "events", events, where: [] };
}

/** All ground, in km². */
export function ofGround(): Extract<Term, { kind: "ground" }> {
  return { kind: "ground", unit: "km2", without: null };
}

/** Events per km² of ground, and per recorded window where there are such. */
export function perGround(events: string, timed: boolean): Quotient {
  return {
    kind: "quotient",
    numerator: ofEvents(events),
    denominator: ofGround(),
    time: timed ? "window" : "none",
    per: 1,
    ...AS_COUNTED,
  };
}

/** Is what a term says of an area a word? */
export function isInWords(term: Term | InWords): term is InWords {
  return term.kind === "commonest" || term.kind === "text";
}

/**
 * The same sum with another term above the line; what is recorded in no known time is not divided by time. A word is
 * divided by nothing.
 */
export function counting(
  plan: Plan,
  now: Quotient | Category,
  numerator: Numerator | InWords,
): Quotient | Category {
  if (isInWords(numerator)) return { kind: "category", of: numerator };
  const measure: Quotient =
    now.kind === "quotient"
      ? now
      : { kind: "quotient", numerator, denominator: null, time: "none", per: 1, ...AS_COUNTED };
  const events = [numerator, measure.denominator].find((t) => t !== null && "events" in t);
  const timed = events && "events" in events && hasTime(plan.gather.events[events.events]);
  return fitting({ ...measure, numerator, time: timed ? measure.time : "none" });
}

/** The same sum with another term below the line, or with none. */
export function dividedBy(measure: Quotient, denominator: Denominator | null): Quotient {
  return fitting({ ...measure, denominator });
}

/**
 * A figure of a table as an earlier version of the plan had it, if one had: its pairs and choices are not made twice.
 * Zones that were the areas then, and whose figures are shared out now, have the pairs that they had.
 */
export function asBefore<T extends Term>(plans: readonly Plan[], areas: Plan["place"]["areas"], term: T): T {
  if (term.kind !== "table") return term;
  for (const plan of plans.toReversed()) {
    const then = plan.place.areas;
    const zones = then.kind === "zones" ? then.source : null;
    const same = then.kind === areas.kind && (areas.kind !== "zones" || zones === areas.source);
    for (const measure of Object.values(plan.measure)) {
      if (measure.kind !== "quotient") continue;
      for (const found of [measure.numerator, measure.denominator]) {
        if (same && isSame(found, term)) return found as T;
        const ofZones = found?.kind === "table" && zones !== null && zones === term.shared?.zones;
        if (ofZones && found.source === term.source && found.value === term.value)
          return { ...found, shared: term.shared } as T;
      }
    }
  }
  return term;
}

/** Do two terms stand for the same figure, however their rows are joined and added? */
export function isSame(a: Term | InWords | null, b: Term | InWords | null): boolean {
  if (a === null || b === null) return a === b;
  switch (a.kind) {
    case "events":
      return b.kind === "events" && a.events === b.events;
    case "persons":
      return b.kind === "persons" && a.events === b.events && a.column === b.column;
    case "figure":
      return b.kind === "figure" && a.events === b.events && a.column === b.column;
    case "diversity":
      return b.kind === "diversity" && a.events === b.events && a.column === b.column;
    case "commonest":
      return b.kind === "commonest" && a.events === b.events && a.column === b.column;
    case "text":
      return b.kind === "text" && a.source === b.source && a.column === b.column;
    case "table":
      return (
        b.kind === "table" &&
        a.source === b.source &&
        a.value === b.value &&
        a.shared?.zones === b.shared?.zones
      );
    case "ground":
    case "whole":
      return a.kind === b.kind;
  }
}
