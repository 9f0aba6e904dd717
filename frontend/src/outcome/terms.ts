/** The sum behind each value: its terms, and how it is written out. Knows no React. */
import type { Areas } from "../api/bulk";
import type { Schemas, View } from "../api/client";
import { figure, plural, whole } from "../format";
import { STATE_WORDS, valueText } from "./words";

export type TermLine = Schemas["TermView"];
export type Role = TermLine["role"];

/** The term in that role, where the mapped measure has one. */
export function termOf(view: View, role: Role): TermLine | undefined {
  return view.terms.find((t) => t.role === role);
}

/** What the mapped measure is divided by, in a word. */
export function dividedBy(view: View): string {
  return termOf(view, "under")?.noun ?? "what is divided by";
}

/** A term's figure for one area. */
export function figureOf(areas: Areas, role: Role, area: number): number {
  switch (role) {
    case "counted":
      return areas.numerator[area];
    case "under":
      return areas.denominator[area];
    case "time":
      return areas.time[area];
  }
}

/** Whole numbers as they are, others to three figures. */
export function termFigure(n: number | null): string {
  if (n === null || Number.isNaN(n)) return "–";
  return Number.isInteger(n) ? whole(n) : figure(n);
}

/** The sum of one area, a line for each part. */
export function sumOf(view: View, areas: Areas, area: number): string[] {
  const [counted, ...others] = view.terms;
  if (areas.words.length) {
    const amount = counted ? [amountOf(counted, figureOf(areas, "counted", area))] : [];
    return [...amount, `${view.value_name}: ${valueText(areas, area)}`];
  }
  if (STATE_WORDS[areas.state[area]] === "suppressed") return ["suppressed"];
  if (!counted) {
    const named = view.named.map((n, i) => `${n.name} ${termFigure(areas.named[i]?.[area] ?? null)}`);
    return [...named, view.value_name, `= ${valueText(areas, area)}`];
  }
  const first = amountOf(counted, figureOf(areas, "counted", area));
  const lines = [first];
  for (const term of others) {
    const amount = figureOf(areas, term.role, area);
    if (!(amount > 0)) return [...lines, `no ${term.noun} to divide by`];
    lines.push(`/ ${amountOf(term, amount)}`);
  }
  if (view.per !== 1) lines.push(`× ${whole(view.per)}`);
  const steps = view.made.map((step, at) => [step.says, areas.steps[at]?.[area] ?? Number.NaN] as const);
  if (steps.length)
    return [
      ...lines,
      ...steps.map(
        ([says, value], at) => `${at ? "→" : "="} ${Number.isNaN(value) ? "–" : figure(value)} ${says}`,
      ),
    ];
  return lines.length > 1 ? [...lines, `= ${figure(areas.value[area])}`] : lines;
}

/** "37 events", "1 event", "0.37 summers". */
function amountOf(term: TermLine, amount: number): string {
  if (Number.isNaN(amount)) return `no ${term.noun}`;
  const counts = term.noun === "events" || term.role === "time";
  if (!counts) return `${termFigure(amount)} ${term.noun}`;
  const one = term.noun.replace(/s$/, "");
  return Number.isInteger(amount) ? plural(amount, one) : `${figure(amount)} ${one}s`;
}
