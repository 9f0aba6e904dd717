/** The one table that a release rule lets out beside the areas, as an entry of a list. Knows no React. */
import type { Plan } from "./types";

type ViewOfTables = { columns: readonly string[]; events_name: string; plan: Plan };
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

/** What a table is of, in words. */
export function tableSays(table: Table | null): string {
  if (table === null) return "no further table";
  return table.over === "words" ? `areas by “${table.column}”` : PERIODS[table.over];
}

/** The table that an entry of the list stands for. */
export function tableOf(key: string, events: string): Table | null {
  if (key === "") return null;
  if (key.startsWith(OF_WORDS)) return { events, over: "words", column: key.slice(OF_WORDS.length) };
  if (Object.hasOwn(PERIODS, key)) return { events, over: key as keyof typeof PERIODS, column: null };
  throw new Error(`there is no table “${key}”`);
}

/** All that can go out beside the areas: of each its key and its words. Columns that say where, when or which record
 * are no kinds. */
export function tablesOf(view: ViewOfTables): [string, string][] {
  const kept = view.plan.release?.table?.column ?? null;
  const events = view.plan.gather.events[view.events_name];
  const at = events?.coordinates;
  const no = [
    ...(at?.kind === "columns" ? [at.x, at.y] : at && "column" in at ? [at.column] : []),
    events?.time?.column,
    events?.identifier,
  ];
  const kinds = view.columns.filter((column) => column !== kept && !no.includes(column));
  return [
    ["", tableSays(null)],
    ...(Object.entries(PERIODS) as [string, string][]),
    ...[...(kept === null ? [] : [kept]), ...kinds].map((c): [string, string] => [
      `${OF_WORDS}${c}`,
      `areas by “${c}”`,
    ]),
  ];
}
