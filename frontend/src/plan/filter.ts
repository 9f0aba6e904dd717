/** The filter's conditions as the plan holds them: changing one, and saying what it keeps. Knows no React. */
import { record } from "../records";
import type { Condition, NewCondition } from "./types";

export const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"] as const;
/** Change the conditions as they stand when the change is made, which may be later than when it was asked for. */
export type Change = (alter: (where: readonly Condition[]) => Condition[]) => void;

const NONE = "0".repeat(24);

/** Whether all conditions must hold, or one of them is enough: then they stand in one group. */
export function joint(where: readonly Condition[]): "all" | "any" {
  return where.length === 1 && where[0].kind === "any" ? "any" : "all";
}

export function parts(where: readonly Condition[]): readonly Condition[] {
  return where.length === 1 && where[0].kind === "any" ? where[0].of : where;
}

export function joined(conditions: readonly Condition[], how: "all" | "any"): Condition[] {
  return how === "any" && conditions.length > 0
    ? [{ kind: "any", name: null, on: true, of: [...conditions] }]
    : [...conditions];
}

/** The same conditions with one put in the place of the one like it, added, or, for null, taken away. */
export function put(
  where: readonly Condition[],
  like: (c: Condition) => boolean,
  condition: NewCondition | null,
): Condition[] {
  const how = joint(where);
  const now = [...parts(where)];
  const at = now.findIndex(like);
  if (condition && at >= 0) now[at] = { ...condition, name: now[at].name, on: now[at].on };
  else if (condition) now.push({ name: null, on: true, ...condition });
  else if (at >= 0) now.splice(at, 1);
  return joined(now, how);
}

/** The same conditions with one of them changed in part, or, for null, taken away. */
export function altered(
  where: readonly Condition[],
  condition: Condition,
  part: Partial<Pick<Condition, "name" | "on">> | null,
): Condition[] {
  const key = canonical(condition);
  const now = parts(where).flatMap((c) => (canonical(c) !== key ? [c] : part ? [{ ...c, ...part }] : []));
  return joined(now, joint(where));
}

/** The same text for conditions that say the same, whatever the order of their entries and what is left unsaid. */
function canonical(condition: Condition): string {
  return JSON.stringify(condition, (_, value) =>
    value && typeof value === "object" && !Array.isArray(value)
      ? record(
          Object.entries(value)
            .filter(([, v]) => v !== null && v !== undefined)
            .sort(([a], [b]) => (a < b ? -1 : 1)),
        )
      : value,
  );
}

/** The values that a column's condition keeps, or null where there is none. */
export function keptValues(where: readonly Condition[], column: string): Set<string> | null {
  const found = parts(where).find((c) => c.kind === "values" && c.column === column && c.keep);
  return found?.kind === "values" ? new Set(found.values) : null;
}

/** A value ticked or not: the condition holds those ticked, and goes when all or none are. */
export function toggled(
  where: readonly Condition[],
  column: string,
  all: readonly string[],
  value: string,
): Condition[] {
  const kept = keptValues(where, column) ?? new Set<string>();
  if (!kept.delete(value)) kept.add(value);
  const like = (c: Condition) => c.kind === "values" && c.column === column && c.keep !== false;
  const values = all.filter((v) => kept.has(v));
  const useful = values.length > 0 && values.length < all.length;
  return put(where, like, useful ? { kind: "values", column, values, keep: true } : null);
}

export function weekOf(where: readonly Condition[]): string[] | null {
  const found = parts(where).find((c) => c.kind === "hours");
  return found?.kind === "hours" ? found.week : null;
}

/** The rectangle of hours between two cells put to 1 or 0. */
export function painted(
  week: readonly string[] | null,
  from: { day: number; hour: number },
  to: { day: number; hour: number },
  on: boolean,
): string[] {
  const now = week ? [...week] : DAYS.map(() => NONE);
  for (let d = Math.min(from.day, to.day); d <= Math.max(from.day, to.day); d++) {
    const hours = [...now[d]];
    for (let h = Math.min(from.hour, to.hour); h <= Math.max(from.hour, to.hour); h++)
      hours[h] = on ? "1" : "0";
    now[d] = hours.join("");
  }
  return now;
}

/** A week without a painted hour, or all painted, is no condition. */
export function withWeek(where: readonly Condition[], week: readonly string[] | null): Condition[] {
  const text = week?.join("") ?? "";
  const useful = text.includes("1") && text.includes("0");
  return put(where, (c) => c.kind === "hours", useful ? { kind: "hours", week: [...week!] } : null);
}

/** What a condition keeps, in a few words. */
export function says(c: Condition): string {
  if (c.name) return c.name;
  switch (c.kind) {
    case "any":
      return c.of.map(says).join(" or ");
    case "all":
      return c.of.map(says).join(" and ");
    case "values": {
      const more = c.values.length > 3 ? ` and ${c.values.length - 3} more` : "";
      return `${c.column}: ${c.keep ? "" : "not "}${c.values.slice(0, 3).join(", ")}${more}`;
    }
    case "range":
      return `${c.column}${c.low === null ? "" : ` from ${c.low}`}${c.high === null ? "" : ` to ${c.high}`}`;
    case "contains":
      return `${c.column} contains “${c.text}”`;
    case "days":
      return `${c.first_day} to ${c.last_day}`;
    case "hours":
      return `${c.week.join("").replaceAll("0", "").length} hours of the week`;
    case "places":
      return `${c.keep ? "" : "not "}at ${c.places.join(", ")}`;
    case "inside":
      return "inside an outline";
  }
}

/** The last day of the month that begins on that day. */
export function monthEnd(firstDay: string): string {
  const [year, month] = firstDay.split("-").map(Number);
  return new Date(Date.UTC(year, month, 0)).toISOString().slice(0, 10);
}
