/** Where values stand along the break rail. */
import type { Axis } from "../state/store";

/** A function from values to 0 (lowest) .. 1 (highest). */
export function axisOf(kind: Axis, ordered: ArrayLike<number>): (value: number) => number {
  const n = ordered.length;
  const low = ordered[0];
  const high = ordered[n - 1];
  if (n === 0 || !(high > low)) return () => 0.5;
  switch (kind) {
    case "linear":
      return (value) => (value - low) / (high - low);
    case "log": {
      const span = Math.log(high / low);
      return (value) => Math.log(value / low) / span;
    }
    case "rank":
      return (value) => {
        let a = 0;
        let b = n;
        while (a < b) {
          const middle = (a + b) >> 1;
          if (ordered[middle] < value) a = middle + 1;
          else b = middle;
        }
        return Math.min(a / (n - 1), 1);
      };
  }
}

/** The other way: from a place on the axis to the value that stands there. */
export function valueOn(kind: Axis, ordered: ArrayLike<number>): (place: number) => number {
  const n = ordered.length;
  const low = ordered[0];
  const high = ordered[n - 1];
  switch (kind) {
    case "linear":
      return (place) => low + place * (high - low);
    case "log":
      return (place) => low * Math.exp(place * Math.log(high / low));
    case "rank":
      return (place) => ordered[Math.min(n - 1, Math.max(0, Math.round(place * (n - 1))))];
  }
}

/** The axes that values can stand on: what is not above zero has no logarithm. */
export function axesFor(ordered: ArrayLike<number>): Axis[] {
  return ordered.length === 0 || ordered[0] > 0 ? ["linear", "log", "rank"] : ["linear", "rank"];
}

/** Even steps where they show the values apart, else steps of the logarithm or of the rank. */
export function fittingAxis(ordered: ArrayLike<number>): Axis {
  const linear = axisOf("linear", ordered);
  let low = 0;
  for (let i = 0; i < ordered.length; i++) if (linear(ordered[i]) < 0.15) low++;
  if (low < 0.6 * ordered.length) return "linear";
  return ordered[0] > 0 ? "log" : "rank";
}
