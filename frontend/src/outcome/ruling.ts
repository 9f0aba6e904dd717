/** Working on breaks: where one can go, which areas change class, and the simplest figures. Knows no React. */
import { classOf } from "./classes";

/** How many values of an ascending list are not above a number. */
export function upTo(ordered: ArrayLike<number>, value: number): number {
  let low = 0;
  let high = ordered.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (ordered[middle] <= value) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** A break put elsewhere, as far as its neighbours and the values let it: between them, never beyond. */
export function moved(
  inner: readonly number[],
  at: number,
  to: number,
  ordered: ArrayLike<number>,
): number[] {
  const low = Math.max(ordered[0], at > 0 ? inner[at - 1] : Number.NEGATIVE_INFINITY);
  const high = Math.min(ordered[ordered.length - 1], inner[at + 1] ?? Number.POSITIVE_INFINITY);
  const within = Math.min(Math.max(to, low), high);
  const taken = at > 0 && within <= inner[at - 1];
  if (taken || within >= (inner[at + 1] ?? Number.POSITIVE_INFINITY)) return [...inner];
  return inner.map((b, i) => (i === at ? within : b));
}

/** The nearest place of a break, up or down, at which an area changes class; null where there is none. */
export function nextStop(
  inner: readonly number[],
  at: number,
  up: boolean,
  ordered: ArrayLike<number>,
): number | null {
  const below = upTo(ordered, inner[at]);
  // Upwards the next value goes below the break; downwards the highest one below it goes above.
  let stop: number | undefined;
  if (up) stop = ordered[below];
  else {
    const highest = ordered[below - 1];
    let i = below - 1;
    while (i >= 0 && ordered[i] === highest) i--;
    stop = ordered[i];
  }
  if (stop === undefined) return null;
  const tried = moved(inner, at, stop, ordered);
  return tried[at] === stop && stop !== inner[at] ? stop : null;
}

/** The nearest round figure in a direction: a multiple of a tenth of the size of the break's distance to its neighbours. */
export function roundStop(
  inner: readonly number[],
  at: number,
  up: boolean,
  ordered: ArrayLike<number>,
): number {
  const low = inner[at - 1] ?? ordered[0];
  const high = inner[at + 1] ?? ordered[ordered.length - 1];
  const step = 10 ** Math.floor(Math.log10(Math.max(high - low, Number.MIN_VALUE) / 2));
  const k = inner[at] / step;
  const near = Math.round(k);
  const on = Math.abs(k - near) < 1e-9;
  return exact((up ? (on ? near + 1 : Math.ceil(k)) : on ? near - 1 : Math.floor(k)) * step);
}

/** With one more break; as before where that would part nothing from nothing. */
export function ruled(inner: readonly number[], value: number): number[] {
  return inner.includes(value) ? [...inner] : [...inner, value].sort((a, b) => a - b);
}

/** The areas that change class, by their positions. */
export function changing(
  values: ArrayLike<number>,
  before: ArrayLike<number>,
  after: ArrayLike<number>,
  zeroApart: boolean,
): number[] {
  const found: number[] = [];
  for (let i = 0; i < values.length; i++)
    if (classOf(values[i], before, zeroApart) !== classOf(values[i], after, zeroApart)) found.push(i);
  return found;
}

/** Breaks with ends that reach all values, as the server makes them. */
export function reaching(inner: readonly number[], ordered: ArrayLike<number>): number[] {
  const n = ordered.length;
  if (n === 0) return [];
  const ends = [ordered[0], ordered[n - 1], ...inner];
  return [Math.min(...ends), ...inner, Math.max(...ends)];
}

/** For every break the simplest number that moves no area: of the fewest figures, and of these the nearest. */
export function simplest(inner: readonly number[], ordered: ArrayLike<number>): number[] {
  return inner.map((b) => {
    const below = upTo(ordered, b);
    const least = ordered[below - 1];
    const most = ordered[below];
    if (least === undefined || most === undefined) return b;
    return simplestIn(least, most, b);
  });
}

/** The simplest number from `least` on and below `most`. */
function simplestIn(least: number, most: number, near: number): number {
  if (least <= 0 && 0 < most) return 0;
  const size = Math.max(Math.abs(least), Math.abs(most));
  for (let power = Math.ceil(Math.log10(size)) + 1; power > Math.log10(size) - 16; power--)
    for (const part of [1, 0.5]) {
      const step = 10 ** power * part;
      const first = Math.ceil(least / step - 1e-9);
      const last = Math.floor(most / step + 1e-9);
      const wanted = Math.min(Math.max(Math.round(near / step), first), last);
      for (const k of [wanted, wanted - 1, wanted + 1]) {
        const tried = exact(k * step);
        if (k >= first && k <= last && tried >= least && tried < most) return tried;
      }
    }
  return near;
}

/** Without the last bit that a product leaves: the number that it looks like. */
function exact(n: number): number {
  return Number(n.toPrecision(12));
}

/** A break's figure: as many places as the words of the classes have, more where it needs them. */
export function ruleText(value: number, places: number): string {
  let needed = places;
  while (needed < 12 && Number(value.toFixed(needed)) !== exact(value) && needed < places + 4) needed++;
  if (Number(value.toFixed(needed)) !== exact(value)) needed = places;
  return value.toLocaleString("en", { minimumFractionDigits: needed, maximumFractionDigits: needed });
}

/** How many places the words of the classes have. */
export function placesIn(texts: readonly string[]): number {
  return Math.max(0, ...texts.map((t) => (/\.(\d+)/.exec(t)?.[1] ?? "").length));
}

/** The breaks with others between the same ends. */
export function withEnds(breaks: readonly number[], inner: readonly number[]): number[] {
  return [Math.min(breaks[0], ...inner), ...inner, Math.max(breaks[breaks.length - 1], ...inner)];
}

/**
 * The areas so near to a break that one event more or less would move them, or where values are no counts, the last
 * figure that is written.
 */
export function nearTies(
  areas: { value: ArrayLike<number>; numerator: ArrayLike<number> },
  breaks: readonly number[],
  zeroApart: boolean,
  by: "event" | number,
): number[] {
  const found: number[] = [];
  for (let i = 0; i < areas.value.length; i++) {
    const value = areas.value[i];
    const own = classOf(value, breaks, zeroApart);
    if (own < 0) continue;
    const step = by === "event" ? value / areas.numerator[i] : by;
    if (!(step > 0)) continue;
    const inside = (v: number) => Math.min(Math.max(v, breaks[0]), breaks[breaks.length - 1]);
    const class_ = (v: number) => classOf(inside(v), breaks, false);
    if (class_(value + step) !== own || (value > step && class_(value - step) !== own)) found.push(i);
  }
  return found;
}
