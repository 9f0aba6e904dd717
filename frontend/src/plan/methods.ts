/** The ways of classing by the question that each answers; a method without its words is an error of the compiler. */
import type { Classing } from "./types";

type Method = Classing["method"];
type Of<M extends Method> = Extract<Classing, { method: M }>;

/** What can be chosen anew: classes are locked as they stand. */
type Chosen = Exclude<Method, "locked">;

export interface Way {
  says: string;
  /** The textbook's words for it. */
  term: string;
  methods: readonly Chosen[];
}

export const WAYS: readonly Way[] = [
  { says: "the same number in each", term: "quantile", methods: ["quantile"] },
  { says: "where the gaps fall", term: "natural breaks", methods: ["natural_breaks"] },
  { says: "the same width", term: "equal intervals", methods: ["equal_intervals", "round_numbers", "every"] },
  {
    says: "growing widths",
    term: "geometric progression, head and tail",
    methods: ["geometric", "head_tail"],
  },
  {
    says: "distance from the middle",
    term: "standard deviations",
    methods: ["standard_deviations", "clear_difference"],
  },
  { says: "by hand", term: "", methods: ["by_hand"] },
];

export const METHODS: { [M in Chosen]: string } = {
  quantile: "quantile",
  natural_breaks: "natural breaks",
  equal_intervals: "from lowest to highest",
  round_numbers: "at round numbers",
  every: "every so much",
  geometric: "each as many times as wide as the one below",
  head_tail: "at the mean, then above it",
  standard_deviations: "standard deviations",
  clear_difference: "areas that clearly differ",
  by_hand: "by hand",
};

/** The same classes by another method; by hand one goes on from the breaks that stand. */
export function byMethod(now: Classing, method: Chosen, breaks: readonly number[]): Classing {
  const { count, zero } = now;
  const by = "by" in now ? now.by : "areas";
  switch (method) {
    case "quantile":
    case "natural_breaks":
      return { method, count, zero, by };
    case "equal_intervals":
    case "round_numbers":
    case "geometric":
    case "head_tail":
      return { method, count, zero };
    case "standard_deviations":
      return { method, count, zero, half: false };
    case "clear_difference":
      return { method, count, zero };
    case "every": {
      const span = breaks.length > 1 ? breaks[breaks.length - 1] - breaks[0] : 1;
      return { method, count, zero, width: Number((span / count).toPrecision(1)) || 1, start: 0 };
    }
    case "by_hand":
      return byHand(now, breaks.slice(1, -1));
  }
}

/** Classes between given breaks. */
export function byHand(now: Classing, inner: readonly number[]): Of<"by_hand"> {
  return { method: "by_hand", count: now.count, zero: now.zero, inner: [...inner] };
}

/** Classes that stay as they are. */
export function locked(now: Classing, breaks: readonly number[], unit: string, was: string): Of<"locked"> {
  return { method: "locked", count: now.count, zero: now.zero, at: [...breaks], unit, was };
}

/** Locked classes whose ends reach all values. */
export function extended(now: Of<"locked">, values: ArrayLike<number>): Of<"locked"> {
  const at = [...now.at];
  for (let i = 0; i < values.length; i++) {
    if (Number.isNaN(values[i]) || (now.zero === "apart" && values[i] === 0)) continue;
    at[0] = Math.min(at[0], values[i]);
    at[at.length - 1] = Math.max(at[at.length - 1], values[i]);
  }
  return { ...now, at };
}

/** Does the number of classes say how many are made? */
export function hasCount(now: Classing): boolean {
  switch (now.method) {
    case "by_hand":
    case "every":
    case "locked":
    case "clear_difference":
      return false;
    case "quantile":
    case "natural_breaks":
    case "equal_intervals":
    case "round_numbers":
    case "geometric":
    case "head_tail":
    case "standard_deviations":
      return true;
  }
}

/** How areas are classed: in plain words, and the textbook's for the same, which may be none. */
export interface Said {
  says: string;
  term: string;
}

/** A way of classing as it is said everywhere on the page; `people` are what the measure is divided by. */
export function saidOf(now: Classing, people: string): Said {
  switch (now.method) {
    case "quantile":
      return { says: `the same number${ofThese(now.by, people)} in each`, term: "quantile" };
    case "natural_breaks":
      return { says: `where the gaps fall${byThese(now.by, people)}`, term: "natural breaks" };
    case "equal_intervals":
      return { says: "the same width", term: "equal intervals" };
    case "round_numbers":
      return { says: "at round numbers", term: "round numbers" };
    case "every":
      return { says: `every ${now.width} from ${now.start}`, term: "equal intervals" };
    case "geometric":
      return { says: "growing widths", term: "geometric progression" };
    case "head_tail":
      return { says: "at the mean, then above it", term: "head and tail" };
    case "standard_deviations":
      return {
        says: "distance from the middle",
        term: now.half ? "half standard deviations" : "standard deviations",
      };
    case "clear_difference":
      return { says: "areas that clearly differ", term: "" };
    case "by_hand":
      return { says: "by hand", term: "" };
    case "locked":
      return { says: "locked", term: now.was };
  }
}

type By = Of<"quantile">["by"];

function ofThese(by: By, people: string): string {
  switch (by) {
    case "areas":
      return "";
    case "under":
      return ` of ${people}`;
    case "ground":
      return " of km²";
  }
}

function byThese(by: By, people: string): string {
  switch (by) {
    case "areas":
      return "";
    case "under":
      return `, by ${people}`;
    case "ground":
      return ", by km²";
  }
}

/** The ways of classing that are compared. */
export const COMPARED: { key: string; make: (now: Classing, count: number) => Classing }[] = [
  {
    key: "quantile",
    make: ({ zero }, count) => ({ method: "quantile", count, zero, by: "areas" }),
  },
  {
    key: "natural breaks",
    make: ({ zero }, count) => ({ method: "natural_breaks", count, zero, by: "areas" }),
  },
  {
    key: "equal intervals",
    make: ({ zero }, count) => ({ method: "equal_intervals", count, zero }),
  },
  {
    key: "geometric progression",
    make: ({ zero }, count) => ({ method: "geometric", count, zero }),
  },
  {
    key: "round numbers",
    make: ({ zero }, count) => ({ method: "round_numbers", count, zero }),
  },
  {
    key: "head and tail",
    make: ({ zero }, count) => ({ method: "head_tail", count, zero }),
  },
  {
    key: "standard deviations",
    make: ({ zero }, count) => ({ method: "standard_deviations", count, zero, half: false }),
  },
  {
    key: "quantile by what is divided by",
    make: ({ zero }, count) => ({ method: "quantile", count, zero, by: "under" }),
  },
  {
    key: "natural breaks by what is divided by",
    make: ({ zero }, count) => ({ method: "natural_breaks", count, zero, by: "under" }),
  },
];
