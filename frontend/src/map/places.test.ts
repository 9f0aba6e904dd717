import { describe, expect, it } from "vitest";
import { levelFor } from "../geometry/view";
import { seeded } from "../random";
import { marksOf, type Place } from "./places";

const VIEW = { scale: 0.1, left: 0, top: 5000 };
const SIZE = { width: 800, height: 500 };

describe("numbered places", () => {
  it("keep their own number, never cover one another's, and give way to places with more events", () => {
    const random = seeded(7);
    const places: Place[] = Array.from({ length: 300 }, () => [random() * 8000, random() * 5000, 1]);
    const marks = marksOf(places, VIEW, SIZE);
    expect(marks.map((m) => m.number)).toEqual(places.map((_, i) => i + 1));
    expect(marks[0].reach).toBeGreaterThan(0);
    const plates = marks.filter((m) => m.reach);
    for (const [i, a] of plates.entries())
      for (const b of plates.slice(i + 1))
        expect(Math.abs(a.y - b.y) > 16 || Math.abs(a.x - b.x) > a.reach + b.reach).toBe(true);
    expect(plates.length).toBeLessThan(marks.length);
  });

  it("are left out off the screen", () => {
    expect(marksOf([[-10, 100, 1]], VIEW, SIZE)).toEqual([]);
  });
});

describe("the level of detail", () => {
  it("is the coarsest that stays within a third of a pixel", () => {
    const tolerances = [12, 3, 0.75, 0.2, 0];
    expect(levelFor(0.02, 1, tolerances)).toBe(0);
    expect(levelFor(0.03, 1, tolerances)).toBe(1);
    expect(levelFor(0.03, 4, tolerances)).toBe(2);
    expect(levelFor(1000, 1, tolerances)).toBe(4);
  });
});
