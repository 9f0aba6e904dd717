/** The one table that a release rule lets out beside the areas, as an entry of a list. Knows no React. */
import type { Plan } from "./types";

type Table = NonNullable<NonNullable<Plan["release"]>["table"]>;
const OF_WORDS = "words: ";
const PERIODS = {
  windows: "areas by recorded window",
  years: "areas by year",
  months: "areas by month",
} as const;

/** What stands for a table in the list; "" for none. */
export function tableKey(table: Table | null): string {
  if (table === null) return "";
  return table.over === "words" ? `${OF_WORDS}${table.column}` : table.over;
}

/** The table that an entry of the list stands for. */
export function tableOf(key: string, events: string): Table | null {
  if (key === "") return null;
  if (key.startsWith(OF_WORDS)) return { events, over: "words", column: key.slice(OF_WORDS.length) };
  if (key in PERIODS) return { events, over: key as keyof typeof PERIODS, column: null };
  throw new Error(`there is no table “${key}”`);
}

/** All that can go out beside the areas: of each its key and its words. */
export function tablesOf(view: { columns: readonly string[]; plan: Plan }): [string, string][] {
  const kept = view.plan.release?.table;
  const columns = kept?.column && !view.columns.includes(kept.column) ? [kept.column] : [];
  return [
    ["", "no further table"],
    ...(Object.entries(PERIODS) as [string, string][]),
    ...[...columns, ...view.columns].map((c): [string, string] => [`${OF_WORDS}${c}`, `areas by “${c}”`]),
  ];
}
