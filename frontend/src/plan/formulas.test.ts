import { expect, it } from "vitest";
import { planOf } from "./fixture";
import { asFormula, completed, completions, wordOf } from "./formulas";
import { mappedMeasure } from "./mapped";

it("makes the words that the server makes of names", () => {
  const names = ["call-outs per 10,000 residents", "2021", "km²", "Straße", "%"];
  expect(names.map(wordOf)).toEqual(["call_outs_per_10_000_residents", "_2021", "km2", "straße", "figure"]);
});

it("writes a sum out as a formula to go on from", () => {
  expect(asFormula(mappedMeasure(planOf()))).toBe("calls / residents / windows * 10000");
});

it("completes the word at the cursor, in the middle of a formula too", () => {
  const words = ["events", "residents", "residents_2"];
  const text = "events / res * 2";
  const found = completions(text, 12, words);
  expect(found).toEqual({ begun: "res", like: ["residents", "residents_2"] });
  expect(completed(text, 12, found.begun, "residents")).toEqual(["events / residents * 2", 18]);
  expect(completions("2 *", 3, words)).toEqual({ begun: "", like: [] });
});
