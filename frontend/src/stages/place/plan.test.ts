import { describe, expect, it } from "vitest";
import type { PlanDocument } from "../../api/client";
import {
  aboveZero,
  converted,
  gridOf,
  leftOut,
  shaped,
  sizeText,
  stepped,
  withAreas,
  withOutline,
} from "./plan";

function plan(areas: PlanDocument): PlanDocument {
  return {
    place: {
      areas,
      exclude: { where: [], areas: ["A"], inside: [] },
      recorded: { kind: "column", column: "c", values: ["x"] },
      stated: { keys: ["name"], accepted: { Oakk: "A" }, trust_within_m: 0 },
      carry: ["c"],
    },
    measure: { kind: "rate", time: "window" },
    show: { over: "district", insets: [] },
  };
}

const WARDS = { kind: "zones", source: "wards", identifier: "code" };

describe("a grid's choices", () => {
  it("begin over the open zones, and keep what a plan says", () => {
    expect(gridOf(WARDS)).toMatchObject({ kind: "grid", size: 1000, cover: { source: "wards" } });
    expect(gridOf({ kind: "grid", size: 300, cover: null })).toMatchObject({
      size: 300,
      cover: null,
      cut: true,
    });
  });

  it("give a rectangle a height, and take it from everything else", () => {
    const grid = { ...gridOf(WARDS), measured: "area" };
    const rectangle = shaped(grid, "rectangle");
    expect(rectangle).toMatchObject({ shape: "rectangle", height: 1000, measured: "width" });
    expect(shaped(rectangle, "hexagon side")).toMatchObject({ shape: "hexagon", top: "side", height: null });
    expect(sizeText({ ...rectangle, height: 500 })).toBe("1,000 by 500 m rectangles");
    expect(sizeText({ ...grid, size: 2, unit: "km" })).toBe("hexagons of 2 km²");
  });

  it("stay the same size in another unit, squared where they are areas", () => {
    expect(converted({ size: 2500, unit: "m", measured: "width", height: null }, "km").size).toBe(2.5);
    expect(converted({ size: 4, unit: "km", measured: "area", height: null }, "m").size).toBe(4_000_000);
    expect(converted({ size: 1, unit: "mi", measured: "width", height: 2 }, "m")).toMatchObject({
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
  it("leave behind what belonged to the zones before", () => {
    const changed = plan(WARDS);
    withAreas(changed, { kind: "grid", size: 500, cover: { source: "wards" } });
    expect(changed.measure).toEqual({ kind: "density", time: "window" });
    expect(changed.place).toMatchObject({ exclude: { areas: [] }, recorded: null, carry: [] });
    expect(changed.place.stated).toEqual({ keys: ["name"], accepted: {}, trust_within_m: 0 });
    expect(changed.show.over).toBeNull();
    const same = plan(WARDS);
    withAreas(same, { ...WARDS, roll_up: "district" });
    expect(same.measure.kind).toBe("rate");
  });

  it("are left out once, and taken in again", () => {
    const changed = plan(WARDS);
    leftOut(changed, "B", true);
    leftOut(changed, "B", true);
    expect(changed.place.exclude.areas).toEqual(["A", "B"]);
    leftOut(changed, "A", false);
    expect(changed.place.exclude.areas).toEqual(["B"]);
  });

  it("take an outline for its use", () => {
    const corners: [number, number][] = [[0, 0], [1, 0], [1, 1]]; // biome-ignore format: a triangle
    const changed = plan({ kind: "grid", size: 500, cover: null });
    withOutline(changed, "left out", corners);
    expect(changed.place.exclude.inside).toEqual([{ corners }]);
    withOutline(changed, "recorded", corners);
    expect(changed.place.recorded).toEqual({ kind: "outline", outline: { corners } });
    withOutline(changed, "cover", corners, { kind: "grid", size: 70 });
    expect(changed.place.areas).toEqual({ kind: "grid", size: 70, cover: { corners } });
  });
});
