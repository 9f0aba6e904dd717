import { expect, it } from "vitest";
import type { Source } from "../api/client";
import { guessedRate } from "./rate";

const source = (name: string, role: string, columns: string[], facts = {}) =>
  ({ name, role, columns, facts }) as unknown as Source;
const WARDS = { kind: "zones", source: "wards", identifier: "code", name: "name" };

it("guesses what to divide by, from the areas or from a table, sums of the others left out", () => {
  const totals = [{ kind: "values", column: "Sex", values: ["all"], keep: false }];
  const table = source("people", "table", ["Ward code", "Ward", "Year", "Residents"], { totals });
  const found = guessedRate(WARDS, [source("wards", "zones", ["code", "name"]), table], true)!;
  expect(found).toMatchObject({ kind: "rate", time: "window" });
  expect(found.denominator).toMatchObject({
    source: "people",
    value: "Residents",
    where: totals,
    mean_over: "Year",
  });
  expect(found.denominator.keys[0]).toEqual({ table: "Ward code", area: "identifier" });
  const own = guessedRate(WARDS, [source("wards", "zones", ["code", "population"]), table], false)!;
  expect(own.denominator).toMatchObject({ source: "wards", value: "population" });
  expect(guessedRate({ kind: "grid" }, [table], true)).toBeNull();
  expect(guessedRate(WARDS, [source("notes", "table", ["Ward", "Remark"])], true)).toBeNull();
});
