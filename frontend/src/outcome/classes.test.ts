import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { classOf } from "./classes";
import { classesNow, rangesOf } from "./ruling";

interface Case {
  name: string;
  values: (number | null)[];
  breaks: number[];
  zero_apart: boolean;
  whole: boolean;
  classes: number[];
  texts: string[];
}

// What the server makes of the same numbers: `tests/core/test_classes.py` reads the same file.
const shared: Case[] = JSON.parse(
  readFileSync(new URL("../../../tests/shared/classes.json", import.meta.url), "utf8"),
);

describe("classes of the page are the server's, to the bit", () => {
  it.each(shared.map((c) => [c.name, c] as const))(
    "%s",
    (_, { values, breaks, zero_apart, whole, classes, texts }) => {
      const numbers = values.map((v) => v ?? Number.NaN);
      expect(numbers.map((v) => classOf(v, breaks, zero_apart))).toEqual(classes);
      // The words of classes, from the values that have one.
      const classed = numbers.filter((_, at) => classes[at] >= 0).sort((a, b) => a - b);
      const places = Math.max(0, ...texts.map((t) => (/\.(\d+)/.exec(t)?.[1] ?? "").length));
      const reached = classed.map(() => 0);
      const now = breaks.length ? classesNow(classed, reached, breaks) : [];
      expect(rangesOf(now, breaks, places, 1, whole)).toEqual(texts);
    },
  );
});
