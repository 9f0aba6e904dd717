/** Working on breaks: where one can go, which areas change class, and the simplest figures. Knows no React. */

import { fixed } from "../format";
import { ABOVE_ALL, BELOW_ALL } from "./classes";

/** Values in ascending order, and which area has each. */
export interface Sorted {
  values: readonly number[];
  order: readonly number[];
}

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

/**
 * Where the classes begin among the ascending values, and where the last one ends. What stands before the first and
 * after the last edge lies beyond the breaks, and is in no class.
 */
function edgesOf(ordered: ArrayLike<number>, breaks: ArrayLike<number>): number[] {
  const edges: number[] = [];
  for (let i = 0; i < breaks.length; i++)
    edges.push(i ? upTo(ordered, breaks[i]) : below(ordered, breaks[i]));
  return edges;
}

/** How many values of an ascending list are less than a number. */
function below(ordered: ArrayLike<number>, value: number): number {
  let at = upTo(ordered, value);
  while (at > 0 && ordered[at - 1] === value) at--;
  return at;
}

/** The class between two edges, by how many of them were passed; one code for what lies beyond on each side. */
function passed(edges: number, of: readonly number[]): number {
  return edges === 0 ? BELOW_ALL : edges === of.length ? ABOVE_ALL : edges - 1;
}

/** The areas that change class between two sets of breaks. */
export function changing(
  { values, order }: Sorted,
  before: ArrayLike<number>,
  after: ArrayLike<number>,
): number[] {
  const [was, is] = [edgesOf(values, before), edgesOf(values, after)];
  const found: number[] = [];
  for (let i = 0, from = 0, own = 0, next = 0; i < values.length; i = from) {
    while (was[own] <= i) own++;
    while (is[next] <= i) next++;
    from = Math.min(was[own] ?? values.length, is[next] ?? values.length);
    if (passed(own, was) !== passed(next, is)) for (let k = i; k < from; k++) found.push(order[k]);
  }
  return found;
}

/**
 * How many areas leave their class for another, where classes are taken for one another from the lowest to the highest:
 * the first for the first where there are as many, else so that the most areas stay.
 */
export function leaving(
  values: ArrayLike<number>,
  before: ArrayLike<number>,
  after: ArrayLike<number>,
): number {
  const [was, is] = [edgesOf(values, before), edgesOf(values, after)];
  const n = values.length;
  const shared = (i: number, k: number) =>
    Math.max(0, Math.min(was[i + 1], is[k + 1]) - Math.max(was[i], is[k]));
  const beyond = Math.min(was[0], is[0]) + n - Math.max(was[was.length - 1], is[is.length - 1]);
  const [old, made] = [was.length - 1, is.length - 1];
  if (old === made) return was.slice(1).reduce((left, _, i) => left - shared(i, i), n - beyond);
  let stay = new Array<number>(made + 1).fill(0);
  for (let i = 0; i < old; i++) {
    const next = [0];
    for (let k = 0; k < made; k++) next.push(Math.max(next[k], stay[k + 1], stay[k] + shared(i, k)));
    stay = next;
  }
  return n - beyond - stay[made];
}

export interface ClassNow {
  areas: number;
  /** What its areas are divided by, together. */
  denominator: number;
  /** Its least and greatest value; NaN where it has none. */
  low: number;
  high: number;
}

/** What each class between breaks holds. `reached` are running sums of what areas are divided by, in their order. */
export function classesNow(
  values: ArrayLike<number>,
  reached: ArrayLike<number>,
  breaks: ArrayLike<number>,
): ClassNow[] {
  const edges = edgesOf(values, breaks);
  return edges.slice(1).map((end, k) => {
    const start = edges[k];
    const denominator = (reached[end - 1] ?? 0) - (reached[start - 1] ?? 0);
    const some = end > start;
    return {
      areas: end - start,
      denominator,
      low: some ? values[start] : Number.NaN,
      high: some ? values[end - 1] : Number.NaN,
    };
  });
}

/**
 * The range of each class in words, as `core/show/bands.py` writes them: neighbours meet, and never share an end.
 * `places` are those with which no two classes share a written end; all figures are divided by `scale`.
 */
export function rangesOf(
  classes: readonly ClassNow[],
  breaks: readonly number[],
  places: number,
  scale: number,
  openEnded: boolean,
): string[] {
  const step = 10 ** places;
  // As written: halves away from zero.
  const steps = (v: number) => Math.round(Number((v / scale).toFixed(places)) * step);
  const text = (n: number) => fixed(n / step, places);
  const last = classes.length - 1;
  let nextLow = 0;
  return classes.map(({ areas, low: least, high: most }, k) => {
    let low = nextLow;
    if (k === 0) {
      const first = areas ? least : breaks[0];
      low = steps(breaks[0] <= 0 && first > 0 ? first : Math.min(breaks[0], first));
    }
    let high = steps(breaks[k + 1]);
    if (high / step > breaks[k + 1] / scale && k < last) high--;
    const above = classes.slice(k + 1).find((c) => c.areas > 0);
    if (above) high = Math.min(high, steps(above.low) - 1);
    if (areas) {
      // Values that only further places tell apart share an end.
      low = Math.min(low, steps(least));
      high = Math.max(high, steps(most));
    }
    nextLow = Math.max(high + 1, low);
    if (high < low) return "";
    if (openEnded && k === last && k > 0 && high > low) return `${text(low)} and over`;
    const [a, b] = [text(low), text(high)];
    return a === b ? a : `${a} to ${b}`;
  });
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

const COARSER_OFFERED = 3;

/** Breaks on multiples of 1, 2 or 5 times a power of ten, where they part the values otherwise: the finest first. */
export function coarser(
  inner: readonly number[],
  ordered: ArrayLike<number>,
): { step: number; inner: number[] }[] {
  const [least, most] = [ordered[0], ordered[ordered.length - 1]];
  if (!inner.length || !(most > least)) return [];
  const partsOf = (breaks: readonly number[]) => breaks.map((b) => upTo(ordered, b)).join();
  const span = Math.log10(most - least);
  // Of several that part the values alike, the coarsest.
  const found = new Map<string, { step: number; inner: number[] }>();
  for (let power = Math.floor(span) - 3; power <= span; power++)
    for (const part of [1, 2, 5]) {
      const step = exact(part * 10 ** power);
      const next = inner.map((b) => exact(Math.round(b / step) * step));
      const apart = next.every((b, i) => b >= least && b < most && (i === 0 || b > next[i - 1]));
      if (apart) found.set(partsOf(next), { step, inner: next });
    }
  found.delete(partsOf(inner));
  return [...found.values()].sort((a, b) => a.step - b.step).slice(-COARSER_OFFERED);
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
  return fixed(value, needed);
}

/** How many places the words of the classes have. */
export function placesIn(texts: readonly string[]): number {
  return Math.max(0, ...texts.map((t) => (/\.(\d+)/.exec(t)?.[1] ?? "").length));
}

/** Breaks by hand with ends that reach all values, as `core/classes/by_hand.py` puts them. */
export function reaching(inner: readonly number[], ordered: ArrayLike<number>): number[] {
  return [Math.min(ordered[0], ...inner), ...inner, Math.max(ordered[ordered.length - 1], ...inner)];
}

/**
 * The areas so near to a break that one event more or less would move them, or where values are no counts, the last
 * figure that is written. The outermost breaks are such where they `stand` though values may lie beyond.
 */
export function nearTies(
  { values, order }: Sorted,
  numerator: ArrayLike<number>,
  breaks: ArrayLike<number>,
  by: "event" | number,
  stand = false,
): number[] {
  const found: number[] = [];
  const edges = edgesOf(values, breaks);
  const [first, last] = stand ? [0, breaks.length - 1] : [1, breaks.length - 2];
  for (let i = 0, next = 0; i < values.length; i++) {
    while (edges[next] <= i) next++;
    const value = values[i];
    const step = by === "event" ? value / numerator[order[i]] : by;
    if (!(step > 0)) continue;
    // The lowest class takes its lower end too.
    const up =
      next <= last && next >= first && (next ? value + step > breaks[next] : value + step >= breaks[0]);
    const own = next - 1;
    const down = own >= first && own <= last && value > step;
    const goes = down && (own ? value - step <= breaks[own] : value - step < breaks[0]);
    if (up || goes) found.push(order[i]);
  }
  return found;
}
