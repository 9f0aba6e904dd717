import { expect, it } from "vitest";
import { nearestPoint } from "../rail/nearest";
import { planOf } from "./fixture";
import { counting, dividedBy, ofEvents, ofGround } from "./sums";
import { AS_COUNTED, approximation, letsOutEvents, linked, marked, unlinked, within } from "./sure";
import type { Quotient } from "./types";

const RATE = planOf().measure.rate as Quotient;
const BY = [{ people: "age", events: "age" }];

it("drops what a changed sum does not bear, and keeps what it does", () => {
  const drawn: Quotient = {
    ...RATE,
    smoothed: "neighbours",
    comparable: { kind: "indirect", by: BY, standard: null, shown: "ratio" },
  };
  expect(dividedBy(drawn, ofGround())).toMatchObject({ smoothed: "neighbours", comparable: null });
  expect(dividedBy(drawn, null)).toMatchObject({ smoothed: null, comparable: null });
  expect(counting(planOf(), drawn, ofEvents("calls"))).toMatchObject({
    smoothed: "neighbours",
    comparable: drawn.comparable,
  });
  const quotient: Quotient = { ...RATE, comparable: { kind: "location_quotient" } };
  expect(dividedBy(quotient, ofGround()).kind === "quotient").toBe(true);
  expect(dividedBy(quotient, ofGround()).comparable).toEqual({ kind: "location_quotient" });
  const direct: Quotient = {
    ...RATE,
    smoothed: "all",
    comparable: { kind: "direct", by: BY, standard: null },
  };
  expect(dividedBy(direct, RATE.denominator).smoothed).toBeNull();
});

it("names the approximation that there is a choice of", () => {
  expect(approximation(RATE)).toBe("Byar’s approximation");
  expect(approximation({ ...RATE, denominator: ofEvents("calls") })).toBe("Wilson’s");
  expect(approximation({ ...RATE, denominator: ofEvents("thefts") })).toBeNull();
});

it("changes one mark and leaves the others, and the measure that it is of, as they were", () => {
  const before = structuredClone(RATE);
  expect(marked(RATE, { fewer_than: 12 }).sure).toEqual({
    ...AS_COUNTED.sure,
    marks: { ...AS_COUNTED.sure.marks, fewer_than: 12 },
  });
  expect(RATE).toEqual(before);
});

it("links two areas once, whichever is named first, and none with itself", () => {
  const { place } = planOf();
  linked(place, "A", "B");
  linked(place, "B", "A");
  linked(place, "C", "C");
  expect(place.neighbours.links).toEqual([["A", "B"]]);
  unlinked(place, 0);
  expect(place.neighbours.links).toEqual([]);
});

it("reads a figure within its bounds, and says where it is none", () => {
  expect([
    within("12", 1, 20),
    within(" 0,5 ", 0, 1),
    within("", 0, 1),
    within("x", 0, 1),
    within("21", 1, 20),
  ]).toEqual([12, 0.5, null, null, null]);
});

it("lets single events out where there is no rule, or the rule lets them", () => {
  const plan = planOf();
  expect(letsOutEvents(plan)).toBe(true);
  plan.release = {
    name: "r",
    min_events: 5,
    zeros: "shown",
    table: null,
    min_residents: 0,
    round_to: 1,
    smallest_cell_km2: 0,
    sizes: [],
    event_points: false,
  };
  expect(letsOutEvents(plan)).toBe(false);
  plan.release.event_points = true;
  expect(letsOutEvents(plan)).toBe(true);
});

it("finds the nearest of many points within reach, and passes over those that are nowhere", () => {
  const places = new Float64Array([0, 0, Number.NaN, 5, 10, 10, 11, 10]);
  expect([
    nearestPoint(places, 10.7, 10, 5),
    nearestPoint(places, 1, 1, 5),
    nearestPoint(places, 50, 50, 5),
  ]).toEqual([3, 0, null]);
});
