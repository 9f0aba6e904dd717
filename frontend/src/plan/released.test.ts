import { expect, it } from "vitest";
import { planOf } from "./fixture";
import { tableKey, tableOf, tablesOf } from "./released";

it("names each table that can go out by a key that gives it back", () => {
  const view = { columns: ["kind", "x", "y", "windows"], events_name: "calls", plan: planOf() };
  const keys = tablesOf(view).map(([key]) => key);
  expect(keys).toEqual(["", "windows", "years", "months", "words: kind", "words: windows"]);
  for (const key of keys) expect(tableKey(tableOf(key, "calls"))).toBe(key);
  expect(tableOf("words: windows", "calls")).toEqual({ events: "calls", over: "words", column: "windows" });
  expect(() => tableOf("weeks", "calls")).toThrow("no table");
});
