/** Which class a value is in: the same arithmetic as `core/classes/breaks.py`, to the bit. */

export const NO_CLASS = -1;
export const ZERO_CLASS = -2;
export const BELOW_ALL = -3;
export const ABOVE_ALL = -4;

/** Class i where breaks[i] < v <= breaks[i + 1]; the lowest class takes its own lower end too. */
export function classOf(value: number, breaks: ArrayLike<number>, zeroApart: boolean): number {
  if (zeroApart && value === 0) return ZERO_CLASS;
  const classes = breaks.length - 1;
  if (classes < 1 || Number.isNaN(value)) return NO_CLASS;
  if (value < breaks[0]) return BELOW_ALL;
  if (value > breaks[classes]) return ABOVE_ALL;
  let low = 0;
  let high = classes - 1;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (value <= breaks[middle + 1]) high = middle;
    else low = middle + 1;
  }
  return low;
}
