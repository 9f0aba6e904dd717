import { expect, test } from "vitest";
import { copied, parsed, record, same } from "./records";

const ODD = ["constructor", "__proto__", "toString", "hasOwnProperty", "valueOf", ""];

test("names of the language are names like any other", () => {
  for (const name of ODD) {
    const nothing = parsed("{}") as Record<string, unknown>;
    expect(nothing[name]).toBeUndefined();
    expect(name in nothing).toBe(false);
    const text = `{${JSON.stringify(name)}: {"a": [1, {${JSON.stringify(name)}: 2}]}}`;
    const found = parsed(text) as Record<string, { a: [number, Record<string, number>] }>;
    expect(Object.keys(found)).toEqual([name]);
    expect(found[name].a[1][name]).toBe(2);
    const again = copied(found);
    expect(Object.keys(again)).toEqual([name]);
    expect(again[name].a[1][name]).toBe(2);
    expect(again[name].a[1]).not.toBe(found[name].a[1]);
    expect(JSON.stringify(again)).toBe(JSON.stringify(found));
    expect(same(again, found)).toBe(true);
    expect(same(parsed("{}"), parsed(`{${JSON.stringify(name)}: null}`))).toBe(false);
    const made = record([[name, 1]]);
    made[name] = 2;
    expect(Object.entries(made)).toEqual([[name, 2]]);
  }
});

test("values are the same where they say the same", () => {
  expect(same({ a: [1, { b: null }] }, parsed('{"a": [1, {"b": null}]}'))).toBe(true);
  expect(same({ a: 1, b: 2 }, { b: 2, a: 1 })).toBe(true);
  expect(same([1, 2], [2, 1])).toBe(false);
  expect(same({ a: 1 }, { a: 1, b: undefined })).toBe(false);
  expect(same(Number.NaN, Number.NaN)).toBe(true);
});
