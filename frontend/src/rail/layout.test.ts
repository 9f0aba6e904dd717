import { describe, expect, it } from "vitest";
import { axisOf, spread, stackDots } from "./layout";

describe("the axis", () => {
  it("keeps the order and reaches both ends, whichever it is", () => {
    const values = [1, 2, 2, 10, 400];
    for (const kind of ["linear", "log", "rank"] as const) {
      const places = values.map(axisOf(kind, values));
      expect(places[0]).toBe(0);
      expect(places[4]).toBe(1);
      expect([...places].sort((a, b) => a - b)).toEqual(places);
      expect(places[1]).toBe(places[2]);
    }
    expect(axisOf("linear", [3, 3])(3)).toBe(0.5);
  });
});

describe("dots", () => {
  it("stand for every area once and never wider than allowed", () => {
    const places = Array.from({ length: 5000 }, (_, i) => (i / 4999) ** 3);
    const dots = stackDots(places, 400, 5, 12);
    expect(dots.reduce((sum, d) => sum + d.stands, 0)).toBe(5000);
    expect(Math.max(...dots.map((d) => d.x))).toBeLessThanOrEqual(60);
    expect(new Set(dots.map((d) => `${d.x},${d.y}`)).size).toBe(dots.length);
  });
  it("are one an area where there is room", () => {
    expect(stackDots([0, 0.2, 0.21, 1], 300, 5, 10).map((d) => d.stands)).toEqual([1, 1, 1, 1]);
  });
});

describe("labels", () => {
  it("keep their order and their distance within the rail", () => {
    const at = spread([0, 2, 3, 95, 99, 100], 10, 100);
    for (let i = 1; i < at.length; i++) expect(at[i] - at[i - 1]).toBeGreaterThanOrEqual(10);
    expect(at[0]).toBeGreaterThanOrEqual(0);
    expect(at[5]).toBeLessThanOrEqual(100);
  });
});
