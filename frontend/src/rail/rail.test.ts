import { describe, expect, it } from "vitest";
import { axesFor, axisOf, valueOn } from "./axes";
import { dotAt, outlineOf, stackDots } from "./dots";
import { spread, textsAt } from "./labels";

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

it("gives back the value that stands at a place", () => {
  const values = [1, 2, 5, 10, 400];
  for (const kind of ["linear", "log", "rank"] as const)
    for (const v of values)
      expect(valueOn(kind, values)(axisOf(kind, values)(v)), `${kind} ${v}`).toBeCloseTo(v, 9);
});

it("draws an outline in which every area has its width", () => {
  const places = Array.from({ length: 5000 }, (_, i) => (i / 4999) ** 3);
  const steps = outlineOf(places, 400, 2, 80);
  expect(steps.reduce((n, s) => n + s.areas, 0)).toBe(5000);
  expect(Math.max(...steps.map((s) => s.width))).toBe(80);
  for (const s of steps) expect(Math.abs((places[s.first] * 400 - s.y) / 2)).toBeLessThanOrEqual(0.5 + 1e-9);
});

it("offers no logarithm of what is not above zero", () => {
  expect(axesFor([0, 1])).toEqual(["linear", "rank"]);
  expect(axesFor([1, 2])).toContain("log");
});

describe("dots", () => {
  it("are found where they stand and nowhere else", () => {
    const dots = stackDots([0.1, 0.1, 0.9], 100, 5, 10);
    for (const d of dots) expect(dotAt(dots, d.x + 1, d.y - 1, 5)).toBe(d);
    expect(dotAt(dots, 3, 50, 5)).toBeUndefined();
  });

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
  it("stand beside their bands where there is room, the lowest at the foot", () => {
    const room = { top: 10, length: 300, height: 320, band: 20, breakText: 13 };
    expect(textsAt([0, 0.5, 1], room)).toEqual({ bands: [235, 85], breaks: [160] });
    const { bands } = textsAt([0, 0.01, 0.02, 1], room);
    expect(bands[0] - bands[1]).toBeGreaterThanOrEqual(20);
    expect(bands[0]).toBeLessThanOrEqual(310);
  });
});
