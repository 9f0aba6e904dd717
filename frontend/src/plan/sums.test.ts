import { expect, it } from "vitest";
import { CELLS, PEOPLE, planOf } from "./fixture";
import { mappedMeasure } from "./mapped";
import { replaceMeasure } from "./measures";
import { asBefore, counting, dividedBy, isSame, ofEvents, perGround } from "./sums";
import type { Quotient } from "./types";

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
  expect(counting(plan, rate, ofEvents("thefts")).time).toBe("none");
  expect(counting(plan, rate, { ...ofEvents("calls"), where: [] }).time).toBe("window");
  expect(counting(plan, rate, { kind: "ground" }).time).toBe("none");
  expect(dividedBy(rate, null)).toEqual({ ...rate, denominator: null });
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
