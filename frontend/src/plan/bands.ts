/** Words and colours of the user's own for entries of the rail. Knows no React. */
import type { Colours } from "./types";

export type OwnBand = Colours["bands"][number];

/** Which entry: the class between two breaks, zero, or a kind. */
export type Entry = Pick<OwnBand, "between" | "zero" | "word">;

export const ZERO_ENTRY: Entry = { between: null, zero: true, word: null };

export function classEntry(breaks: readonly number[], at: number): Entry {
  return { between: [breaks[at], breaks[at + 1]], zero: false, word: null };
}

export function wordEntry(word: string): Entry {
  return { between: null, zero: false, word };
}

function isOf(own: OwnBand, entry: Entry): boolean {
  return own.zero === entry.zero && own.word === entry.word && own.between?.join() === entry.between?.join();
}

export function ownOf(colours: Colours, entry: Entry): OwnBand | undefined {
  return colours.bands.find((own) => isOf(own, entry));
}

/** With another text or colour for an entry; null takes it back. */
export function dressed(
  bands: readonly OwnBand[],
  entry: Entry,
  change: Partial<Pick<OwnBand, "text" | "colour">>,
): OwnBand[] {
  const now = bands.find((own) => isOf(own, entry)) ?? { ...entry, text: null, colour: null };
  const next = { ...now, ...change };
  const others = bands.filter((own) => !isOf(own, entry));
  return next.text === null && next.colour === null ? others : [...others, next];
}
