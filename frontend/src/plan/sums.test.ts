import { expect, it } from "vitest";
import { CELLS, PEOPLE, planOf } from "./fixture";
import { mappedMeasure } from "./mapped";
import { replaceMeasure } from "./measures";
import { asBefore, counting, dividedBy, isSame, ofEvents, ofGround, perGround } from "./sums";
import type { Category, Quotient } from "./types";

const SHARED = { zones: "wards", identifier: "code", name: "name", by: { kind: "ground" as const } };

it("joins a table as an earlier version had it, also where its zones' figures are shared out now", () => {
  const before = planOf();
  (before.measure.rate as Quotient).denominator = { ...PEOPLE, accepted: { Oakk: "A" } };
  const offered = { ...PEOPLE, noun: "people" };
  expect(asBefore([before], before.place.areas, offered)).toMatchObject({
    accepted: { Oakk: "A" },
    noun: "residents",
  });
  const shared = { ...offered, shared: SHARED };
  expect(asBefore([before], CELLS, shared)).toMatchObject({ accepted: { Oakk: "A" }, shared: SHARED });
  expect(asBefore([before], CELLS, { ...shared, shared: { ...SHARED, zones: "blocks" } }).accepted).toEqual(
    {},
  );
  expect(asBefore([], before.place.areas, offered)).toBe(offered);
});

it("drops time where what is counted was recorded in none that is known", () => {
  const plan = planOf();
  plan.gather.events.thefts = { ...plan.gather.events.calls, recorded: [] };
  const rate = mappedMeasure(plan) as Quotient;
  expect(counting(plan, rate, ofEvents("thefts"))).toMatchObject({ time: "none" });
  expect(counting(plan, rate, { ...ofEvents("calls"), where: [] })).toMatchObject({ time: "window" });
  expect(counting(plan, rate, ofGround())).toMatchObject({ time: "none" });
  expect(dividedBy(rate, null)).toEqual({ ...rate, denominator: null });
});

it("divides a word by nothing, and begins anew with a figure after one", () => {
  const plan = planOf();
  const kinds = { kind: "commonest" as const, events: "calls", column: "type", where: [] };
  const word = counting(plan, mappedMeasure(plan) as Quotient, kinds);
  expect(word).toEqual({ kind: "category", of: kinds });
  replaceMeasure(plan, "rate", word, { before: "", after: "" });
  expect(plan.class.rate.count).toBe(8);
  const back = counting(plan, word as Category, ofEvents("calls"));
  expect(back).toMatchObject({ kind: "quotient", denominator: null, time: "none", per: 1 });
  replaceMeasure(plan, "rate", back, { before: "", after: "" });
  expect(plan.class.rate.count).toBe(5);
});

it("tells terms apart by what they stand for, not by how they are joined", () => {
  expect(isSame({ ...PEOPLE, accepted: { a: "b" } }, PEOPLE)).toBe(true);
  expect(isSame({ ...PEOPLE, shared: SHARED }, PEOPLE)).toBe(false);
  expect(isSame(ofEvents("a"), ofEvents("b"))).toBe(false);
  expect(isSame(null, null)).toBe(true);
  expect(isSame(null, PEOPLE)).toBe(false);
});

it("calls a measure after its new sum, but leaves a name that the user gave", () => {
  const plan = planOf();
  const ground = perGround("calls", true);
  replaceMeasure(plan, "rate", ground, { before: "calls per residents", after: "calls per km²" });
  expect(Object.keys(plan.measure)).toEqual(["rate"]);
  replaceMeasure(plan, "rate", ground, { before: "rate", after: "calls per km²" });
  expect([Object.keys(plan.measure), plan.show.mapped]).toEqual([["calls per km²"], "calls per km²"]);
});
