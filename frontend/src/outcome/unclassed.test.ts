import { expect, it } from "vitest";
import { colourAt, endsOf } from "./unclassed";

const colours = Array.from({ length: 65 }, (_, i) => String(i));

it("colours values evenly from the least to the greatest, and on both sides of a middle", () => {
  const ends = endsOf([Number.NaN, 0, 10, 30, 50], true);
  expect(ends).toEqual({ least: 10, greatest: 50 });
  expect([10, 20, 30, 50].map((v) => colourAt(v, ends, colours, null))).toEqual(["0", "16", "32", "64"]);
  expect([10, 15, 20, 35, 50].map((v) => colourAt(v, ends, colours, 20))).toEqual([
    "0",
    "16",
    "32",
    "48",
    "64",
  ]);
  // A middle beyond all values leaves one side alone.
  expect([10, 50].map((v) => colourAt(v, ends, colours, 90))).toEqual(["0", "32"]);
  expect([10, 50].map((v) => colourAt(v, ends, colours, 1))).toEqual(["32", "64"]);
  expect(colourAt(7, endsOf([7, 7], true), colours, null)).toBe("32");
});
