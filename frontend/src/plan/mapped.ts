/** What the map shows of a plan: found by the mapped measure's name, never by position. Knows no React. */
import type { Classing, Colours, Events, Measure, Plan } from "./types";

/** What stands for the events of a study that has none. */
const NO_EVENTS: Events = {
  source: "",
  coordinates: { kind: "none" },
  stated: null,
  number: null,
  number_decimal: null,
  identifier: null,
  repeated_identifier: "set_aside",
  swapped_axes: "set_aside",
  far_away: "set_aside",
  look_up: null,
  corrections: [],
  places: [],
  labels: {},
  columns: null,
  time: null,
  recorded: [],
  where: [],
};

/** The name of the measure that the map shows. */
export function mappedName(plan: Plan): string {
  return plan.show.mapped ?? Object.keys(plan.measure)[0];
}

export function mappedMeasure(plan: Plan): Measure {
  return plan.measure[mappedName(plan)];
}

/** The name of the events that it counts; where it counts none, of the first that there are; empty where there are none. */
export function mappedEventsName(plan: Plan): string {
  return eventsOf(mappedMeasure(plan)) ?? Object.keys(plan.gather.events)[0] ?? "";
}

/** The name of the events that a measure counts, if it does. */
export function eventsOf(measure: Measure): string | null {
  switch (measure.kind) {
    case "formula":
      return measure.about;
    case "category":
      return "events" in measure.of ? measure.of.events : null;
    case "quotient":
      for (const term of [measure.numerator, measure.denominator])
        if (term && "events" in term) return term.events;
      return null;
  }
}

export function mappedEvents(plan: Plan): Events {
  return plan.gather.events[mappedEventsName(plan)] ?? NO_EVENTS;
}

export function mappedClasses(plan: Plan): Classing {
  return plan.class[mappedName(plan)];
}

export function mappedColours(plan: Plan): Colours {
  return plan.show.colours[mappedName(plan)];
}

/** Are there recorded windows, all of them with days, so that figures can be divided by time? */
export function hasTime(events: Pick<Events, "recorded">): boolean {
  return events.recorded.length > 0 && events.recorded.every((w) => w.first_day !== null);
}
