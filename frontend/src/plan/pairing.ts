/** The pairs of a table's spellings and areas: what is suggested, and what is accepted above a line. Knows no React. */
import { record } from "../records";

export type Step = "exact" | "tidied" | "brackets" | "affix" | "lost zeros" | "accepted";

/** The steps in which spellings find their areas, in their order. */
export const STEPS: readonly (readonly [Step, string])[] = [
  ["exact", "spelt alike"],
  ["tidied", "alike but for case, accents and signs"],
  ["brackets", "alike but for what stands in brackets"],
  ["affix", "alike but for what all on one side carry"],
  ["lost zeros", "alike but for leading zeros"],
  ["accepted", "by your word"],
];

export interface Suggestion {
  spelling: string;
  area: string;
  /** Up to 100. */
  like: number;
}

/** The best area for each spelling, those that are most alike first. */
export function suggestionsOf(
  all: Readonly<Record<string, readonly (readonly [string, number])[]>>,
): Suggestion[] {
  return Object.entries(all)
    .filter(([, best]) => best.length)
    .map(([spelling, [[area, like]]]) => ({ spelling, area, like }))
    .sort((a, b) => b.like - a.like);
}

/** The pairs that are alike enough. An area that several spellings ask for goes to the one most like it. */
export function acceptedAbove(suggested: readonly Suggestion[], line: number): Record<string, string> {
  const taken = new Set<string>();
  const found = record<string>([]);
  for (const { spelling, area, like } of suggested) {
    if (like < line || taken.has(area)) continue;
    taken.add(area);
    found[spelling] = area;
  }
  return found;
}
