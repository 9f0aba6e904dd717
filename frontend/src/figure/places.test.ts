import { describe, expect, it } from "vitest";
import type { FigurePlan } from "../plan/types";
import { seeded } from "../random";
import { boxOf, isMoved, isText, movable, movedTo, resizable, sizedTo, unmoved } from "./places";

const WORDS = { text: null, shown: true, size: 9, at: null };
const PLAN: FigurePlan = {
  page: { size: "A4", turned: "by itself", width: 210, height: 297, margin: 10, ground: "white" },
  title: WORDS,
  subtitle: WORDS,
  notes: WORDS,
  legend: {
    shown: true,
    headed: true,
    heading: null,
    distribution: false,
    counts: false,
    level: false,
    size: 8.5,
    at: null,
  },
  map_at: null,
  neatline: false,
  boxes: {},
  series: null,
  scale_bar: "by itself",
  north: "by itself",
  ink: "#333333",
  face: "Public Sans",
};
const PAGE = { width: 210, height: 297 };
const NAMES = ["title", "subtitle", "notes", "legend", "map", "box 1", "box 3"];

describe("elements of a page", () => {
  it("go where they are dragged, and never off the page", () => {
    const random = seeded(3);
    for (let k = 0; k < 400; k++) {
      const name = NAMES[Math.floor(random() * NAMES.length)];
      const [width, height] = [10 + 190 * random(), 5 + 280 * random()];
      const place = { name, left: 0, top: 0, width, height };
      const next = movedTo(PLAN, PAGE, place, 500 * random() - 150, 600 * random() - 150);
      const at =
        name === "map"
          ? next.map_at
          : name === "legend"
            ? next.legend.at
            : name.startsWith("box")
              ? boxOf(next, name.slice(4) === "1" ? 0 : 2).at
              : next[name as "title"].at;
      expect(at).not.toBeNull();
      expect(at!.left).toBeGreaterThanOrEqual(0);
      expect(at!.top).toBeGreaterThanOrEqual(0);
      expect(at!.left + width).toBeLessThanOrEqual(PAGE.width + 0.1);
      expect(at!.top + height).toBeLessThanOrEqual(PAGE.height + 0.1);
      expect(isMoved(next)).toBe(true);
      expect(isMoved(unmoved(next))).toBe(false);
      expect({ ...unmoved(next), boxes: {} }).toEqual(PLAN);
    }
  });

  it("change alone: the others stay as they were", () => {
    const place = { name: "legend", left: 10, top: 10, width: 50, height: 30 };
    const once = movedTo(PLAN, PAGE, place, 20, 30);
    expect(once).toEqual({
      ...PLAN,
      legend: { ...PLAN.legend, at: { left: 20, top: 30, width: null, height: null } },
    });
    const twice = movedTo(once, PAGE, { ...place, name: "box 2" }, 5, 6.04);
    expect(twice.legend).toEqual(once.legend);
    expect(boxOf(twice, 1).at).toEqual({ left: 5, top: 6, width: 50, height: 30 });
    expect(movedTo(PLAN, PAGE, { ...place, name: "box x" }, 5, 6)).toEqual(PLAN);
    expect(isMoved(PLAN)).toBe(false);
  });

  it("are made larger and smaller by their corner, within the page", () => {
    const map = { name: "map", left: 20, top: 30, width: 100, height: 120 };
    expect(sizedTo(PLAN, PAGE, map, 130, 90).map_at).toEqual({ left: 20, top: 30, width: 130, height: 90 });
    expect(sizedTo(PLAN, PAGE, map, 500, 500).map_at).toEqual({ left: 20, top: 30, width: 190, height: 267 });
    expect(sizedTo(PLAN, PAGE, map, -5, 3).map_at).toEqual({ left: 20, top: 30, width: 15, height: 15 });
    const box = sizedTo(PLAN, PAGE, { ...map, name: "box 2" }, 50, 40);
    expect(boxOf(box, 1).at).toEqual({ left: 20, top: 30, width: 50, height: 40 });
    expect(["map", "box 1"].every(resizable)).toBe(true);
    expect(["title", "legend"].some(resizable)).toBe(false);
    expect(["title", "subtitle", "notes", "legend"].filter(isText)).toEqual(["title", "subtitle", "notes"]);
  });

  it("are those that a hand can take, not what follows from the map", () => {
    expect(NAMES.every(movable)).toBe(true);
    expect(["scale bar", "north arrow"].some(movable)).toBe(false);
  });
});
