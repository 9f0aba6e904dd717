import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { classIn, classOf, NO_CLASS } from "./classes";

interface Case {
  name: string;
  values: (number | null)[];
  breaks: number[];
  zero_apart: boolean;
  classes: number[];
  texts: string[];
}

// What the server makes of the same numbers: `tests/core/test_classes.py` reads the same file.
const shared: Case[] = JSON.parse(
  readFileSync(new URL("../../../tests/shared/classes.json", import.meta.url), "utf8"),
);

it("gives each word a class of its own, and the last to all that are told apart from no other", () => {
  const outcome = { ledger: { breaks: [], words: ["quay", "moor", "2 others"] } };
  const found = [0, 1, 2, 3, Number.NaN].map((value) => classIn(outcome, value, true));
  expect(found).toEqual([0, 1, 2, 2, NO_CLASS]);
});

describe("classes of the page are the server's, to the bit", () => {
  it.each(shared.map((c) => [c.name, c] as const))(
    "%s",
    (_, { values, breaks, zero_apart, classes, texts }) => {
      const numbers = values.map((v) => v ?? Number.NaN);
      expect(numbers.map((v) => classOf(v, breaks, zero_apart))).toEqual(classes);
      for (const [i, text] of texts.entries()) {
        const within = numbers.filter((_, at) => classes[at] === i);
        if (!text) expect(within).toEqual([]);
        else {
          const ends = text.replaceAll(",", "").split(" to ").map(Number);
          const places = text.split(".")[1]?.split(" ")[0].length ?? 0;
          const half = 0.5000001 * 10 ** -places;
          expect(Math.min(...within)).toBeGreaterThanOrEqual(ends[0] - half);
          expect(Math.max(...within)).toBeLessThanOrEqual(ends[ends.length - 1] + half);
        }
      }
    },
  );
});
