import { expect, it } from "vitest";
import { planOf } from "./fixture";
import { mappedClasses, mappedColours, mappedMeasure, mappedName } from "./mapped";
import { addMeasure, mapEvents, rename, takeOut } from "./measures";
import { ofEvents } from "./sums";
import { AS_COUNTED } from "./sure";
import type { Measure } from "./types";

const counted = (time: "none" | "window"): Measure => ({
  kind: "quotient",
  numerator: ofEvents("calls"),
  denominator: null,
  time,
  per: 1,
  ...AS_COUNTED,
});

it("keeps each measure's classes and colours under its name: mapping another and back loses nothing", () => {
  const plan = planOf();
  addMeasure(plan, "calls", counted("none"));
  expect([mappedName(plan), mappedClasses(plan).count, mappedColours(plan).ramp]).toEqual([
    "calls",
    7,
    "peat",
  ]);
  plan.class.calls = { method: "quantile", count: 3, zero: "apart", by: "areas" };
  mappedColours(plan).ramp = "slate";
  plan.show.mapped = "rate";
  expect(plan.class.rate).toEqual(planOf().class.rate);
  expect([mappedMeasure(plan), mappedColours(plan).ramp]).toEqual([planOf().measure.rate, "peat"]);
  addMeasure(plan, "calls", counted("window"));
  expect(Object.keys(plan.measure)).toEqual(["rate", "calls", "calls (2)"]);
});

it("calls a measure otherwise with all that is under its name, unless the name is taken", () => {
  const plan = planOf();
  addMeasure(plan, "calls", counted("none"));
  rename(plan, "calls", " all calls ");
  expect(Object.keys(plan.measure)).toEqual(["rate", "all calls"]);
  expect([Object.keys(plan.class), Object.keys(plan.show.colours)]).toEqual([
    ["rate", "all calls"],
    ["rate", "all calls"],
  ]);
  expect(mappedName(plan)).toBe("all calls");
  const before = structuredClone(plan);
  rename(plan, "rate", "all calls");
  rename(plan, "rate", " ");
  expect(plan).toEqual(before);
});

it("takes a measure out with all that is under its name, but never the last", () => {
  const plan = planOf();
  takeOut(plan, "rate");
  expect(plan).toEqual(planOf());
  addMeasure(plan, "calls", counted("none"));
  takeOut(plan, "calls");
  expect(plan).toEqual(planOf());
});

it("maps other events by a measure of theirs, made anew where there is none", () => {
  const plan = planOf();
  mapEvents(plan, "thefts", { ...plan.gather.events.calls, source: "thefts", recorded: [] });
  expect(mappedMeasure(plan)).toMatchObject({
    numerator: { kind: "events", events: "thefts" },
    denominator: { kind: "ground", unit: "km2", without: null },
    time: "none",
  });
  mapEvents(plan, "calls", plan.gather.events.calls);
  expect(mappedName(plan)).toBe("rate");
  mapEvents(plan, "thefts", plan.gather.events.thefts);
  expect(Object.keys(plan.measure)).toHaveLength(2);
});
