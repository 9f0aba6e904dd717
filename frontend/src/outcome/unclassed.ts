/** Values coloured as they are, without classes. Knows no React. */

/** The colour of a value, evenly along the colours from the least to the greatest; two-sided ones turn at the middle. */
export function colourAt(
  value: number,
  ends: { least: number; greatest: number },
  colours: readonly string[],
  middle: number | null,
): string {
  const { least, greatest } = ends;
  const turn = middle === null ? null : Math.min(Math.max(middle, least), greatest);
  let t = greatest > least ? (value - least) / (greatest - least) : 0.5;
  if (turn !== null)
    t =
      value < turn
        ? (value - least) / (turn - least) / 2
        : (greatest > turn ? (value - turn) / (greatest - turn) : 0) / 2 + 0.5;
  return colours[Math.round(Math.min(Math.max(t, 0), 1) * (colours.length - 1))];
}

/** The least and the greatest of what is not zero, where that stands apart. */
export function endsOf(values: ArrayLike<number>, apart: boolean): { least: number; greatest: number } {
  const ends = { least: Number.POSITIVE_INFINITY, greatest: Number.NEGATIVE_INFINITY };
  for (let i = 0; i < values.length; i++) {
    if (Number.isNaN(values[i]) || (apart && values[i] === 0)) continue;
    ends.least = Math.min(ends.least, values[i]);
    ends.greatest = Math.max(ends.greatest, values[i]);
  }
  return ends;
}
