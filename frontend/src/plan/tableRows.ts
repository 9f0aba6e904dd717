/** What becomes of several rows of a table for one area. Knows no React. */
import type { FromTable } from "./types";

export type Fate = "added" | "averaged" | "year" | "";

/** What is done with rows that differ in a column. */
export function whatHappens(
  denominator: Pick<FromTable, "add_over" | "mean_over" | "years">,
  column: string,
): Fate {
  if (denominator.years?.kind === "column" && denominator.years.column === column) return "year";
  if (denominator.mean_over === column) return "averaged";
  return denominator.add_over.includes(column) ? "added" : "";
}

/** The same with another answer for one column; only one column can be averaged over, and only one is the year. */
export function answered(denominator: FromTable, column: string, to: Fate): FromTable {
  const years = whatHappens(denominator, column) === "year" ? null : denominator.years;
  const others: FromTable = {
    ...denominator,
    add_over: denominator.add_over.filter((name) => name !== column),
    mean_over: denominator.mean_over === column ? null : denominator.mean_over,
    years,
  };
  switch (to) {
    case "added":
      return { ...others, add_over: [...others.add_over, column] };
    case "averaged":
      return { ...others, mean_over: column };
    case "year":
      return { ...others, years: { kind: "column", column } };
    case "":
      return others;
  }
}

/** What becomes of the rows of one area, in a sentence. */
export function rowsSay(proposal: {
  denominator: Pick<FromTable, "source" | "value" | "add_over" | "mean_over" | "years">;
  differ: readonly string[];
  evidence: string;
}) {
  const { source, value, add_over, mean_over, years } = proposal.denominator;
  const open = proposal.differ.filter((name) => whatHappens(proposal.denominator, name) === "");
  const done = [
    ...(add_over.length ? [`added up over ${quoted(add_over)}`] : []),
    ...(mean_over ? [`averaged over ${quoted([mean_over])}`] : []),
    ...(years?.kind === "column" ? [`taken by the year in ${quoted([years.column])}`] : []),
    ...(open.length ? [`not decided for ${quoted(open)}`] : []),
  ];
  const rows = done.length ? `Rows of “${source}” for one area are ${done.join(", ")}.` : "";
  const written = proposal.evidence ? ` The numbers in “${value}”: ${proposal.evidence}.` : "";
  return (rows + written).trim();
}

const quoted = (names: readonly string[]) => names.map((name) => `“${name}”`).join(", ");
