/** Formulas as they are written: the words at hand, the one that is being written, a sum as a formula. Knows no React. */
import { record } from "../records";
import type { FromTable, Measure, Term } from "./types";

export type Formula = Extract<Measure, { kind: "formula" }>;

/** A name as it stands in a formula: the same as the server makes of it. */
export function wordOf(name: string): string {
  const text = name.trim().replaceAll("²", "2").replaceAll("³", "3");
  const word =
    text
      .replace(/[^\p{L}\p{N}_]+/gu, "_")
      .replace(/^_+|_+$/g, "")
      .toLowerCase() || "figure";
  return /^\p{N}/u.test(word) ? `_${word}` : word;
}

/** The formula that comes to the same as a sum, to go on from; where a term has no word, what is left of it. */
export function asFormula(measure: Measure): string {
  if (measure.kind === "formula") return measure.text;
  if (measure.kind === "category") return "events";
  const over = wordFor(measure.numerator) ?? "events";
  const under = measure.denominator && wordFor(measure.denominator);
  const time = { none: "", window: " / windows", year: " / years" }[measure.time];
  const per = measure.per === 1 ? "" : ` * ${measure.per}`;
  return `${over}${under ? ` / ${under}` : ""}${time}${per}`;
}

function wordFor(term: Term): string | null {
  switch (term.kind) {
    case "events":
      return term.where.length ? null : wordOf(term.events);
    case "table":
      return wordOf(term.noun);
    case "ground":
      return term.unit === "km2" && term.without === null ? "area_km2" : null;
    case "persons":
    case "figure":
    case "diversity":
    case "whole":
      return null;
  }
}

/** The formula with what tables say for its words, which then goes with it. */
export function withFigures(formula: Formula, words: readonly { word: string; term: unknown }[]): Formula {
  const used = new Set(formula.text.match(/[\p{L}_][\p{L}\p{N}_]*/gu));
  const figures = words
    .filter((w) => w.term && used.has(w.word))
    .map((w) => [w.word, w.term as FromTable] as const);
  return { ...formula, figures: record(figures) };
}

/** The word that ends where the cursor stands, and the words that begin like it. */
export function completions(text: string, cursor: number, words: readonly string[]) {
  const begun = /[\p{L}_][\p{L}\p{N}_]*$/u.exec(text.slice(0, cursor))?.[0] ?? "";
  const like = begun ? words.filter((w) => w !== begun && w.startsWith(begun.toLowerCase())) : [];
  return { begun, like };
}

/** The text with the begun word written out, and where the cursor stands then. */
export function completed(text: string, cursor: number, begun: string, word: string): [string, number] {
  const start = cursor - begun.length;
  return [text.slice(0, start) + word + text.slice(cursor), start + word.length];
}
