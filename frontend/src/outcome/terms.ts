/** The sum behind each value: its terms, and how it is written out. Knows no React. */
import type { Areas } from "../api/bulk";
import type { Schemas, View } from "../api/client";
import { figure, plural, whole } from "../format";

export type Term = Schemas["TermView"];

/** The term in that role, where the mapped measure has one. */
export function termOf(view: View, role: Term["role"]): Term | undefined {
  return view.terms.find((t) => t.role === role);
}

/** The sum of one area, a line for each part. */
export function sumOf(view: View, areas: Areas, area: number): string[] {
  const [counted, ...others] = view.terms;
  const first =
    counted.says === "events"
      ? plural(areas.numerator[area], "event")
      : `${whole(areas.numerator[area])} ${counted.says}`;
  if (!others.length) return [first];
  const lines = [first];
  for (const term of others) {
    const amount = term.role === "time" ? areas.time[area] : areas.denominator[area];
    if (!(amount > 0)) return [...lines, `no ${term.says} to divide by`];
    lines.push(`/ ${term.role === "time" ? periods(amount, term.says) : `${figure(amount)} ${term.says}`}`);
  }
  if (view.per !== 1) lines.push(`× ${whole(view.per)}`);
  return [...lines, `= ${figure(areas.value[area])}`];
}

/** "5 summers", "0.37 summers". */
function periods(amount: number, noun: string): string {
  return Number.isInteger(amount) ? plural(amount, noun) : `${figure(amount)} ${noun}s`;
}
