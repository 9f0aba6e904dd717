import { describe, expect, it } from "vitest";
import { type Anchors, ROOM_HEIGHTS } from "../api/bulk";
import type { LabelSet } from "../plan/types";
import { seeded } from "../random";
import { type Labels, placeLabels, prepareLabels } from "./labels";

const SET: LabelSet = {
  text: "{name}",
  shown: true,
  size: 14,
  bold: false,
  colour: "#000000",
  halo: "#ffffff",
  halo_width: 2,
};
/** Each letter is half as wide as it is high. */
const measure = (text: string) => text.length / 2;

/** Ellipses `wide` times as wide as high, at random places: what lies in them is known. */
function ellipses(count: number, span: number, wide: number, seed: number): Anchors {
  const random = seeded(seed);
  const radius = Float32Array.from({ length: count }, () => 5 + 60 * random());
  return {
    x: Float32Array.from(radius, () => random() * span),
    y: Float32Array.from(radius, () => random() * span),
    radius,
    inset: new Int8Array(count).fill(-1),
    rooms: ROOM_HEIGHTS.map((h) => radius.map((r) => wide * r * Math.sqrt(1 - h * h))),
  };
}

function boxes({ placed }: Labels, scale: number) {
  return placed.map((l) => ({
    ...l,
    left: l.x * scale - l.width / 2,
    right: l.x * scale + l.width / 2,
    top: -l.y * scale - l.height / 2,
    bottom: -l.y * scale + l.height / 2,
  }));
}

describe("labels", () => {
  it("lie over no other, reach beyond no border, and each that says something is placed or counted", () => {
    for (let seed = 0; seed < 60; seed++) {
      const random = seeded(seed + 500);
      const [count, wide] = [200, 1 + 4 * random()];
      const anchors = ellipses(count, 1500, wide, seed);
      const word = () => "abcdefghij klmno pqrstuvw".slice(0, 2 + Math.floor(random() * 24)).trim();
      const first = Array.from({ length: count }, () => (random() < 0.2 ? "" : word()));
      const second = Array.from({ length: count }, () => (random() < 0.5 ? "" : `${word()}\n${word()}`));
      const sets = [SET, { ...SET, size: 10 }, { ...SET, shown: false }];
      const scale = 10 ** (2 * random() - 1);
      const found = placeLabels(prepareLabels(anchors, sets, [first, second, first], measure), () => scale);
      const written = found.placed.reduce((n, l) => n + new Set(l.lines.map((line) => line.set)).size, 0);
      expect(written + found.left).toBe([...first, ...second].filter((t) => t).length);
      const all = boxes(found, scale);
      for (const [i, a] of all.entries()) {
        const apart = (b: typeof a) =>
          a.right <= b.left || b.right <= a.left || a.bottom <= b.top || b.bottom <= a.top;
        expect(all.slice(i + 1).filter((b) => !apart(b))).toEqual([]);
        const r = anchors.radius[a.area] * scale;
        expect((a.width / 2 / wide) ** 2 + (a.height / 2) ** 2).toBeLessThanOrEqual(r * r * (1 + 1e-6));
        for (const line of a.lines) expect(a.factor * line.size).toBeGreaterThanOrEqual(8 - 1e-9);
        for (const set of new Set(a.lines.map((l) => l.set))) {
          const own = a.lines.flatMap((l) => (l.set === set ? [l.text] : []));
          expect(own.join("").replace(/\s+/g, "")).toBe([first, second][set][a.area].replace(/\s+/g, ""));
        }
      }
      if (scale > 3) expect(found.placed.length).toBeGreaterThan(20);
    }
  });

  it("are as large as asked for where there is room, smaller or broken where there is less, and none where there is none", () => {
    const one = (radius: number, wide: number, text: string) => {
      const anchors = {
        x: Float32Array.of(0),
        y: Float32Array.of(0),
        radius: Float32Array.of(radius),
        inset: Int8Array.of(-1),
        rooms: ROOM_HEIGHTS.map(() => Float32Array.of(wide)),
      };
      return placeLabels(prepareLabels(anchors, [SET], [[text]], measure), () => 1);
    };
    expect(one(100, 100, "Tarnholt").placed[0].lines).toEqual([{ text: "Tarnholt", set: 0, size: 14 }]);
    expect(one(100, 18, "Tarnholt").placed[0].factor).toBeCloseTo(0.6);
    expect(one(100, 30, "Upper Tarnholt").placed[0].lines.map((l) => l.text)).toEqual(["Upper", "Tarnholt"]);
    expect(one(100, 10, "Tarnholt")).toEqual({ placed: [], left: 1 });
    expect(one(4, 100, "Tarnholt")).toEqual({ placed: [], left: 1 });
    expect(one(100, 100, "")).toEqual({ placed: [], left: 0 });
  });
});
