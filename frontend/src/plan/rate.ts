/** How residents are known for the open areas: a first guess from what the study holds. Knows no React. */
import type { Source } from "../api/client";
import type { AreasPlan, Condition, FromTable, Rate } from "./types";

const PEOPLE = /^(residents|population|pop|people|inhabitants|einwohner|habitants|poblacion|inwoners)\b/i;

const PLAIN: Omit<FromTable, "source" | "keys" | "value"> = {
  kind: "table",
  decimal: null,
  add_over: [],
  absent: "mistake",
  noun: "residents",
  where: [],
  mean_over: null,
  accepted: {},
};

/** What of the rows of one area is not said here, the server proposes. From a column of the areas themselves, else from a table whose code or name columns are matched to the areas. */
export function guessedRate(areas: AreasPlan, sources: readonly Source[], recorded: boolean): Rate | null {
  if (areas.kind !== "zones" || !areas.identifier) return null;
  const own = sources.find((s) => s.name === areas.source);
  const ours = own?.columns.find((c) => PEOPLE.test(c));
  const rate = (denominator: Pick<FromTable, "source" | "keys" | "value"> & Partial<FromTable>): Rate => ({
    kind: "rate",
    events: "",
    per: 10000,
    time: recorded ? "window" : "none",
    denominator: { ...PLAIN, ...denominator },
  });
  if (own && ours) {
    const keys = [{ table: areas.identifier, area: "identifier" as const }];
    return rate({ source: own.name, keys, value: ours });
  }
  for (const table of sources.filter((s) => s.role === "table")) {
    const value = table.columns.find((c) => PEOPLE.test(c));
    if (!value) continue;
    const named = table.columns.filter((c) => c !== value).slice(0, 2);
    const keys = named.flatMap((c) => [
      { table: c, area: "identifier" as const },
      ...(areas.name ? [{ table: c, area: "name" as const }] : []),
    ]);
    const where = (table.facts as { totals?: Condition[] }).totals ?? [];
    if (keys.length) return rate({ source: table.name, keys, value, where });
  }
  return null;
}

/** What is done with rows that differ in a column. */
export function whatHappens(
  denominator: Pick<FromTable, "add_over" | "mean_over">,
  column: string,
): "added" | "averaged" | "" {
  if (denominator.mean_over === column) return "averaged";
  return denominator.add_over.includes(column) ? "added" : "";
}

/** The same denominator with another answer for one column; only one column can be averaged over. */
export function answered(denominator: FromTable, column: string, to: string): FromTable {
  const others = denominator.add_over.filter((name) => name !== column);
  const mean = denominator.mean_over === column ? null : denominator.mean_over;
  if (to === "added") return { ...denominator, add_over: [...others, column], mean_over: mean };
  if (to === "averaged") return { ...denominator, add_over: others, mean_over: column };
  return { ...denominator, add_over: others, mean_over: mean };
}

/** What becomes of the rows of one area, in a sentence. */
export function rowsSay(proposal: {
  denominator: Pick<FromTable, "source" | "value" | "add_over" | "mean_over">;
  differ: readonly string[];
  evidence: string;
}) {
  const { source, value, add_over, mean_over } = proposal.denominator;
  const open = proposal.differ.filter((name) => whatHappens(proposal.denominator, name) === "");
  const done = [
    ...(add_over.length ? [`added up over ${quoted(add_over)}`] : []),
    ...(mean_over ? [`averaged over ${quoted([mean_over])}`] : []),
    ...(open.length ? [`not decided for ${quoted(open)}`] : []),
  ];
  const rows = done.length ? `Rows of “${source}” for one area are ${done.join(", ")}.` : "";
  const written = proposal.evidence ? ` The numbers in “${value}”: ${proposal.evidence}.` : "";
  return (rows + written).trim();
}

const quoted = (names: readonly string[]) => names.map((name) => `“${name}”`).join(", ");
