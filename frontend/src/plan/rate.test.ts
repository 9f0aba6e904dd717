import { expect, it } from "vitest";
import type { Source } from "../api/client";
import { CELLS, PEOPLE, WARDS } from "./fixture";
import { answered, guessedRate, rowsSay, whatHappens } from "./rate";
import type { FromTable } from "./types";

const source = (name: string, role: string, columns: string[], facts = {}) =>
  ({ name, role, columns, facts }) as unknown as Source;

it("guesses what to divide by, from the areas or from a table, sums of the others left out", () => {
  const totals = [{ kind: "values", column: "Sex", values: ["all"], keep: false }];
  const table = source("people", "table", ["Ward code", "Ward", "Year", "Residents"], { totals });
  const found = guessedRate(WARDS, [source("wards", "zones", ["code", "name"]), table], true)!;
  expect(found).toMatchObject({ kind: "rate", time: "window" });
  expect(found.denominator).toMatchObject({
    source: "people",
    value: "Residents",
    where: totals,
  });
  expect((found.denominator as FromTable).keys[0]).toEqual({ table: "Ward code", area: "identifier" });
  const own = guessedRate(WARDS, [source("wards", "zones", ["code", "population"]), table], false)!;
  expect(own.denominator).toMatchObject({ source: "wards", value: "population" });
  expect(guessedRate(CELLS, [table], true)).toBeNull();
  expect(guessedRate(WARDS, [source("notes", "table", ["Ward", "Remark"])], true)).toBeNull();
});

it("asks for each column whether rows are added up or averaged, over one column at most", () => {
  const start = { ...PEOPLE, add_over: ["Sex"], mean_over: "Year" };
  expect(["Sex", "Year", "Age"].map((c) => whatHappens(start, c))).toEqual(["added", "averaged", ""]);
  const added = answered(start, "Age", "added");
  expect(added).toMatchObject({ add_over: ["Sex", "Age"], mean_over: "Year" });
  expect(answered(added, "Sex", "averaged")).toMatchObject({ add_over: ["Age"], mean_over: "Sex" });
  expect(answered(added, "Year", "")).toMatchObject({ add_over: ["Sex", "Age"], mean_over: null });
  expect(start.add_over).toEqual(["Sex"]);
  const proposal = { denominator: start, differ: ["Sex", "Age"], evidence: "the point is the decimal sign" };
  expect(rowsSay(proposal)).toBe(
    "Rows of “people” for one area are added up over “Sex”, averaged over “Year”, not decided for “Age”. " +
      "The numbers in “n”: the point is the decimal sign.",
  );
  const plain = { ...start, add_over: [], mean_over: null };
  expect(rowsSay({ denominator: plain, differ: [], evidence: "" })).toBe("");
});
