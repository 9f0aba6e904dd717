import { expect, it } from "vitest";
import { PEOPLE } from "./fixture";
import { answered, rowsSay, whatHappens } from "./tableRows";

it("asks for each column whether rows are added up or averaged, over one column at most", () => {
  const start = { ...PEOPLE, add_over: ["Sex"], mean_over: "Year" };
  expect(["Sex", "Year", "Age"].map((c) => whatHappens(start, c))).toEqual(["added", "averaged", ""]);
  const added = answered(start, "Age", "added");
  expect(added).toMatchObject({ add_over: ["Sex", "Age"], mean_over: "Year" });
  expect(answered(added, "Sex", "averaged")).toMatchObject({ add_over: ["Age"], mean_over: "Sex" });
  expect(answered(added, "Year", "")).toMatchObject({ add_over: ["Sex", "Age"], mean_over: null });
  const yearly = answered(start, "Year", "year");
  expect(yearly).toMatchObject({ mean_over: null, years: { kind: "column", column: "Year" } });
  expect(["Sex", "Year"].map((c) => whatHappens(yearly, c))).toEqual(["added", "year"]);
  expect(answered(yearly, "Year", "averaged")).toMatchObject({ mean_over: "Year", years: null });
  expect(start.add_over).toEqual(["Sex"]);
  const proposal = { denominator: start, differ: ["Sex", "Age"], evidence: "the point is the decimal sign" };
  expect(rowsSay(proposal)).toBe(
    "Rows of “people” for one area are added up over “Sex”, averaged over “Year”, not decided for “Age”. " +
      "The numbers in “n”: the point is the decimal sign.",
  );
  const plain = { ...start, add_over: [], mean_over: null };
  expect(rowsSay({ denominator: plain, differ: [], evidence: "" })).toBe("");
});
