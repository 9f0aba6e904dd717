import { expect, test } from "vitest";
import { type Cell, compare, written } from "./sorting";

test("numbers stand before words and blanks last, whichever the direction", () => {
  const cells: Cell[] = ["b", null, 10, "a10", 2, "", "a9"];
  expect([...cells].sort((a, b) => compare(a, b, false))).toEqual([2, 10, "a9", "a10", "b", null, ""]);
  expect([...cells].sort((a, b) => compare(a, b, true))).toEqual([10, 2, "b", "a10", "a9", null, ""]);
});

test("whole numbers have no places, and what is nothing is written as nothing", () => {
  expect([12_345, 0.25, null, "x"].map(written)).toEqual(["12,345", "0.250", "", "x"]);
});
