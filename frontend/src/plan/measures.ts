/** Measures by name: adding one, mapping it, taking it out. Knows no React. */
import { copied, record } from "../records";
import { eventsOf, hasTime, mappedName } from "./mapped";
import { perGround } from "./sums";
import type { Events, Measure, Plan } from "./types";

/** Into how many classes figures are grouped at first, and how many kinds are told apart. */
const CLASSES = 5;
const KINDS = 8;

/** Add a measure under a name that is free, and map it. Its classes and colours begin as those of the mapped one. */
export function addMeasure(plan: Plan, wanted: string, measure: Measure): void {
  const before = mappedName(plan);
  let name = wanted;
  for (let n = 2; name in plan.measure; n++) name = `${wanted} (${n})`;
  plan.measure[name] = measure;
  plan.class[name] = copied(plan.class[before]);
  plan.show.colours[name] = copied(plan.show.colours[before]);
  plan.show.mapped = name;
}

/** Call a measure otherwise; its classes and colours go with it. A name that is taken changes nothing. */
export function rename(plan: Plan, from: string, to: string): void {
  const name = to.trim();
  if (!name || name in plan.measure) return;
  const moved = <T>(part: Record<string, T>): Record<string, T> =>
    record(Object.entries(part).map(([key, value]) => [key === from ? name : key, value]));
  plan.measure = moved(plan.measure);
  plan.class = moved(plan.class);
  plan.show.colours = moved(plan.show.colours);
  if (plan.show.mapped === from) plan.show.mapped = name;
}

/**
 * Put a measure in the place of one in the plan. A measure that is called after its sum is called after the new one;
 * one that the user named keeps its name.
 */
export function replaceMeasure(
  plan: Plan,
  name: string,
  measure: Measure,
  called: { before: string; after: string },
): void {
  const before = plan.measure[name].kind === "category";
  plan.measure[name] = measure;
  if (before !== (measure.kind === "category")) plan.class[name].count = before ? CLASSES : KINDS;
  const plain = name.replace(/ \(\d+\)$/, "");
  if (plain !== called.before || called.after === plain) return;
  let free = called.after;
  for (let n = 2; free in plan.measure; n++) free = `${called.after} (${n})`;
  rename(plan, name, free);
}

/** Take a measure out with its classes and colours. The last one stays; another is mapped in place of the mapped one. */
export function takeOut(plan: Plan, name: string): void {
  const others = Object.keys(plan.measure).filter((m) => m !== name);
  if (!others.length) return;
  if (mappedName(plan) === name) plan.show.mapped = others[0];
  delete plan.measure[name];
  delete plan.class[name];
  delete plan.show.colours[name];
}

/** Map events under their name: by a measure of them that there is, else by a first one, per km². */
export function mapEvents(plan: Plan, name: string, events: Events): void {
  plan.gather.events[name] ??= events;
  const there = Object.entries(plan.measure).find(([, m]) => eventsOf(m) === name);
  if (there) plan.show.mapped = there[0];
  else {
    addMeasure(plan, `${name} per km²`, perGround(name, hasTime(plan.gather.events[name])));
  }
}
