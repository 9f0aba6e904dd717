import { describe, expect, it } from "vitest";
import type { Source } from "../api/client";
import { CELLS, planOf, WARDS } from "./fixture";
import { mappedEvents, mappedMeasure } from "./mapped";
import {
  aboveZero,
  converted,
  gridOf,
  leftOut,
  ofSource,
  recordedIn,
  shaped,
  sizeText,
  stepped,
  withAreas,
  withOutline,
  zonesOf,
} from "./place";

describe("a grid's choices", () => {
  it("begin over the open zones, and keep what a plan says", () => {
    expect(gridOf(WARDS)).toMatchObject({ kind: "grid", size: 1000, cover: { source: "wards" } });
    expect(gridOf(WARDS, { size: 20, unit: "km" })).toMatchObject({ size: 20, unit: "km" });
    expect(gridOf({ ...CELLS, size: 300 })).toMatchObject({
      size: 300,
      cover: null,
      cut: true,
    });
  });

  it("give a rectangle a height, and take it from everything else", () => {
    const grid = { ...gridOf(WARDS), measured: "area" as const };
    const rectangle = shaped(grid, "rectangle");
    expect(rectangle).toMatchObject({ shape: "rectangle", height: 1000, measured: "width" });
    expect(shaped(rectangle, "hexagon side")).toMatchObject({ shape: "hexagon", top: "side", height: null });
    expect(sizeText({ ...rectangle, height: 500 })).toBe("1,000 by 500 m rectangles");
    expect(sizeText({ ...grid, size: 2, unit: "km" })).toBe("hexagons of 2 km²");
  });

  it("stay the same size in another unit, squared where they are areas", () => {
    expect(converted({ ...CELLS, size: 2500 }, "km").size).toBe(2.5);
    expect(converted({ ...CELLS, size: 4, unit: "km", measured: "area" }, "m").size).toBe(4_000_000);
    expect(converted({ ...CELLS, size: 1, unit: "mi", height: 2 }, "m")).toMatchObject({
      size: 1610,
      height: 3220,
    });
  });

  it("step through round sizes, always up or always down", () => {
    let size = 0.7;
    for (let i = 0; i < 60; i++) {
      const next = stepped(size, true);
      expect(next).toBeGreaterThan(size);
      expect(stepped(next, false)).toBeLessThan(next);
      size = next;
    }
  });

  it("are numbers above zero, with a point or a comma", () => {
    expect(["2,5", " 3 ", "1e3"].map(aboveZero)).toEqual([2.5, 3, 1000]);
    expect(["", "0", "-4", "x", "Infinity"].map(aboveZero)).toEqual([null, null, null, null, null]);
  });
});

describe("other areas", () => {
  it("leave behind what belonged to the zones before, and the rate stays for who comes back", () => {
    const changed = planOf();
    recordedIn(mappedEvents(changed), 0, { kind: "list", source: "list", column: "ward", area: null });
    withAreas(changed, { ...CELLS, cover: ofSource("wards") });
    expect(mappedEvents(changed).recorded[0].where).toMatchObject({ kind: "list", area: "code" });
    expect(mappedMeasure(changed)).toMatchObject({
      denominator: { kind: "ground", unit: "km2" },
      per: 1,
      time: "window",
    });
    expect(changed.measure.rate).toEqual(planOf().measure.rate);
    expect(Object.keys(changed.class).sort()).toEqual(["calls per km²", "rate"]);
    expect(changed.place).toMatchObject({ exclude: { areas: [] }, carry: [] });
    expect(changed.place.stated).toEqual({ keys: ["name"], accepted: {}, trust_within_m: 0 });
    expect(changed.show.over).toBeNull();
    const elsewhere = structuredClone(changed);
    withAreas(elsewhere, { ...WARDS, source: "blocks" });
    expect(mappedEvents(elsewhere).recorded.map((w) => w.where)).toEqual([null, null]);
    const again = structuredClone(changed);
    withAreas(again, WARDS);
    expect(Object.keys(again.measure)).toHaveLength(2);
    const same = planOf();
    withAreas(same, { ...WARDS, roll_up: "district" });
    expect(mappedMeasure(same)).toEqual(planOf().measure.rate);
  });

  it("hold for one recorded window or for all, and events without windows get one without days", () => {
    const events = mappedEvents(planOf());
    const listed = { kind: "list" as const, source: "list", column: "ward", area: null };
    recordedIn(events, 1, listed);
    expect(events.recorded.map((w) => w.where)).toEqual([null, listed]);
    recordedIn(events, null, listed);
    recordedIn(events, 0, null);
    expect(events.recorded.map((w) => w.where)).toEqual([null, listed]);
    events.recorded = [];
    recordedIn(events, null, listed);
    expect(events.recorded).toEqual([{ name: null, first_day: null, last_day: null, where: listed }]);
    recordedIn(events, null, null);
    expect(events.recorded).toEqual([]);
  });

  it("are left out once, and taken in again", () => {
    const changed = planOf();
    leftOut(changed, "B", true);
    leftOut(changed, "B", true);
    expect(changed.place.exclude.areas).toEqual(["A", "B"]);
    leftOut(changed, "A", false);
    expect(changed.place.exclude.areas).toEqual(["B"]);
  });

  it("take an outline for its use", () => {
    const corners: [number, number][] = [[0, 0], [1, 0], [1, 1]]; // biome-ignore format: a triangle
    const changed = planOf(CELLS);
    withOutline(changed, "left out", corners);
    expect(changed.place.exclude.inside).toEqual([{ corners, source: null }]);
    withOutline(changed, "recorded", corners, { window: 1 });
    expect(mappedEvents(changed).recorded.map((w) => w.where?.kind)).toEqual([undefined, "outline"]);
    withOutline(changed, "inset", corners);
    expect(changed.show.insets).toMatchObject([{ corners, at: "bottom right" }]);
    withOutline(changed, "cover", corners, { sized: { ...CELLS, size: 70 } });
    expect(changed.place.areas).toMatchObject({ kind: "grid", size: 70, cover: { corners } });
  });

  it("calls zones by columns that were tried on all of them, and numbers them where there is none", () => {
    const source = { name: "areas", columns: ["id", "name"], naming: { identifier: "code", name: null } };
    expect(zonesOf(source as unknown as Source)).toMatchObject({ identifier: "code", name: null });
    const none = { ...source, naming: { identifier: null, name: null } };
    expect(zonesOf(none as unknown as Source)).toMatchObject({ source: "areas", identifier: null });
  });
});
