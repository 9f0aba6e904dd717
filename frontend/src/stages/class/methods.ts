/** What each method of classing is called on the sheet; one without a name is an error of the compiler. */
import type { Classing } from "../../plan/types";

export const METHODS: { [M in Classing["method"]]: string } = {
  quantile: "quantile: classes of like size",
  natural_breaks: "natural breaks: values that lie together",
  equal_intervals: "equal intervals: classes of the same width",
};

/** The same number of classes by another method. */
export function byMethod(now: Classing, method: Classing["method"]): Classing {
  return { ...now, method };
}
