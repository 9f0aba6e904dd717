import { describe, expect, it } from "vitest";
import { cellAt, cellCentre, cellTable, fillCells, type Lattice } from "../geometry/lattice";
import { fillZones, NOTHING, type Rings } from "../geometry/scanline";
import {
  centredIn,
  centredOn,
  fitted,
  inSight,
  panned,
  resized,
  scaleBar,
  seenOf,
  zoomed,
} from "../geometry/view";
import { ABOVE_ALL, BELOW_ALL, classOf, NO_CLASS, ZERO_CLASS } from "../outcome/classes";
import { seeded } from "../random";
import { packed, shrink } from "./paint";

/** Jittered squares that leave no gap. */
function lattice(n: number, seed: number): Rings {
  const next = seeded(seed);
  const corner = Array.from({ length: n + 1 }, () =>
    Array.from({ length: n + 1 }, () => [next() * 0.6 - 0.3, next() * 0.6 - 0.3]),
  );
  const xy: number[] = [];
  const start = [0];
  const owner: number[] = [];
  for (let r = 0; r < n; r++) {
    for (let c = 0; c < n; c++) {
      for (const [dc, dr] of [
        [0, 0],
        [1, 0],
        [1, 1],
        [0, 1],
        [0, 0],
      ]) {
        const [jx, jy] = corner[r + dr][c + dc];
        xy.push(c + dc + (c + dc > 0 && c + dc < n ? jx : 0), r + dr + (r + dr > 0 && r + dr < n ? jy : 0));
      }
      start.push(xy.length);
      owner.push(r * n + c);
    }
  }
  return { xy: Float32Array.from(xy), start: Int32Array.from(start), owner: Int32Array.from(owner) };
}

describe("zones in the id buffer", () => {
  it("leave no pixel of a gap-free set out, whatever the view", () => {
    const next = seeded(7);
    for (let trial = 0; trial < 20; trial++) {
      const rings = lattice(6, trial + 1);
      const view = { scale: 3 + 30 * next(), left: 0.01 + next(), top: 5.9 - next() };
      const [width, height] = [60, 50];
      const ids = new Int32Array(width * height);
      fillZones(rings, view, width, height, ids);
      for (let y = 0; y < height; y++) {
        for (let x = 0; x < width; x++) {
          const [px, py] = [view.left + (x + 0.5) / view.scale, view.top - (y + 0.5) / view.scale];
          const inside = px > 0 && px < 6 && py > 0 && py < 6;
          expect(ids[y * width + x] !== NOTHING).toBe(inside);
        }
      }
    }
  });

  it("are where a crossing count says", () => {
    const rings = lattice(4, 3);
    const view = { scale: 9, left: -0.4, top: 4.3 };
    const ids = new Int32Array(50 * 44);
    fillZones(rings, view, 50, 44, ids);
    for (let at = 0; at < ids.length; at += 7) {
      const [px, py] = [
        view.left + ((at % 50) + 0.5) / view.scale,
        view.top - (Math.floor(at / 50) + 0.5) / view.scale,
      ];
      let found = NOTHING;
      for (let ring = 0; ring < rings.owner.length; ring++) {
        let inside = false;
        for (let i = rings.start[ring]; i + 3 < rings.start[ring + 1]; i += 2) {
          const [ax, ay, bx, by] = rings.xy.subarray(i, i + 4);
          if (ay > py !== by > py && px < ax + ((py - ay) / (by - ay)) * (bx - ax)) inside = !inside;
        }
        if (inside) found = rings.owner[ring];
      }
      expect(ids[at]).toBe(found);
    }
  });
});

describe("cells in the id buffer", () => {
  const turned = { cosine: Math.cos(0.4), sine: Math.sin(0.4) };
  const LATTICES: Lattice[] = [
    { hexagon: true, swapped: false, cosine: 1, sine: 0 },
    { hexagon: true, swapped: true, cosine: 1, sine: 0 },
    { hexagon: false, swapped: false, cosine: 1, sine: 0 },
    { hexagon: true, swapped: true, ...turned },
    { hexagon: false, swapped: false, ...turned },
  ].map((l) => ({ ...l, width: 3, height: l.hexagon ? 1.5 * Math.sqrt(3) : 2, originX: 0.7, originY: -1.1 }));

  const [column, row] = [new Int32Array(400), new Int32Array(400)];
  for (let i = 0; i < 400; i++) {
    column[i] = (i % 20) - 10;
    row[i] = Math.floor(i / 20) - 10;
  }

  it.each(LATTICES.filter((l) => l.hexagon))("are the hexagons with the nearest centre: %o", (lattice) => {
    const next = seeded(5);
    const cells = cellTable(column, row, null, lattice);
    for (let trial = 0; trial < 2000; trial++) {
      const [x, y] = [next() * 24 - 12, next() * 24 - 12];
      let least = Infinity;
      let nearest = NOTHING;
      for (let i = 0; i < 400; i++) {
        const [cx, cy] = cellCentre(lattice, column[i], row[i]);
        const d = Math.hypot(x - cx, y - cy);
        if (d < least) [least, nearest] = [d, i];
      }
      expect(cellAt(cells, x, y)).toBe(nearest);
    }
  });

  it.each(LATTICES.filter((l) => !l.hexagon))("are the rectangles around a point: %o", (lattice) => {
    const next = seeded(6);
    const cells = cellTable(column, row, null, lattice);
    for (let i = 0; i < 400; i++) {
      const [cx, cy] = cellCentre(lattice, column[i], row[i]);
      const [a, b] = [(next() - 0.5) * 2.99, (next() - 0.5) * 1.99];
      const { cosine, sine } = lattice;
      expect(cellAt(cells, cx + a * cosine - b * sine, cy + a * sine + b * cosine)).toBe(i);
    }
  });

  it.each(LATTICES)("fill every pixel as asking for it would: %o", (lattice) => {
    const area = Int32Array.from([0, 1, 2, 1, 3]);
    const cells = cellTable(
      Int32Array.from([0, 1, 0, 1, -1]),
      Int32Array.from([0, 0, 1, -1, 1]),
      area,
      lattice,
    );
    const view = { scale: 5.3, left: -6, top: 7 };
    const ids = new Int32Array(80 * 70);
    fillCells(cells, view, 80, 70, ids);
    const met = new Set<number>();
    for (let y = 0; y < 70; y++) {
      for (let x = 0; x < 80; x++) {
        const wanted = cellAt(cells, view.left + (x + 0.5) / view.scale, view.top - (y + 0.5) / view.scale);
        expect(ids[y * 80 + x]).toBe(wanted);
        met.add(wanted);
      }
    }
    expect([...met].sort()).toEqual([NOTHING, 0, 1, 2, 3]);
  });
});

describe("classes", () => {
  it("take their upper end, and the lowest its lower end too", () => {
    const breaks = [0.5, 1, 2];
    expect([0.5, 1, 1.0000001, 2, 2.1, 0.4, Number.NaN].map((v) => classOf(v, breaks, true))).toEqual([
      0,
      0,
      1,
      1,
      ABOVE_ALL,
      BELOW_ALL,
      NO_CLASS,
    ]);
    expect([classOf(0, [0, 1], true), classOf(0, [0, 1], false), classOf(1, [], true)]).toEqual([
      ZERO_CLASS,
      0,
      NO_CLASS,
    ]);
  });
});

describe("the view", () => {
  const box = { left: -100, bottom: -50, right: 300, top: 150 };

  it("fits a box into what is left free", () => {
    const free = { left: 200, top: 10, right: 100, bottom: 50 };
    const view = fitted(box, 1000, 600, free);
    const pixel = (x: number, y: number) => [(x - view.left) * view.scale, (view.top - y) * view.scale];
    const [l, b] = pixel(box.left, box.bottom);
    const [r, t] = pixel(box.right, box.top);
    expect(l).toBeGreaterThanOrEqual(200);
    expect(r).toBeLessThanOrEqual(900);
    expect(t).toBeGreaterThanOrEqual(10);
    expect(b).toBeLessThanOrEqual(550);
    expect(Math.abs(l - 200 - (900 - r))).toBeLessThan(1e-6);
  });

  it("keeps the point under the pointer while zooming, and comes back from a pan", () => {
    const view = fitted(box, 800, 600);
    const after = zoomed(view, 2.5, 123, 456, 0, 1e9);
    expect(after.left + 123 / after.scale).toBeCloseTo(view.left + 123 / view.scale, 9);
    expect(after.top - 456 / after.scale).toBeCloseTo(view.top - 456 / view.scale, 9);
    const back = panned(panned(view, 37, -12), -37, 12);
    expect(back.left).toBeCloseTo(view.left, 9);
  });

  it("moves as little as brings a point into sight, and never scales", () => {
    const random = seeded(8);
    const size = { width: 900, height: 600 };
    for (let k = 0; k < 500; k++) {
      const view = { scale: 10 ** (4 * random() - 2), left: random() * 100, top: random() * 100 };
      const free = { left: 400 * random(), top: 0, right: 400 * random(), bottom: 100 * random() };
      const point = [
        view.left + (2000 * random() - 500) / view.scale,
        view.top - (900 * random() - 100) / view.scale,
      ] as const;
      const after = inSight(view, size, free, point);
      expect(after.scale).toBe(view.scale);
      const at = (v: typeof view) => [(point[0] - v.left) * v.scale, (v.top - point[1]) * v.scale];
      const [x, y] = at(after);
      const [was, wasDown] = at(view);
      const [from, to] = [free.left + 48, size.width - free.right - 48];
      if (to > from) {
        expect(x).toBeGreaterThan(from - 1e-6);
        expect(x).toBeLessThan(to + 1e-6);
        if (was >= from && was <= to) expect(x).toBeCloseTo(was, 6);
        else expect(Math.min(Math.abs(x - from), Math.abs(x - to))).toBeLessThan(1e-6);
      } else expect(x).toBeCloseTo(was, 6);
      if (wasDown >= 48 && wasDown <= size.height - free.bottom - 48) expect(y).toBeCloseTo(wasDown, 6);
    }
  });

  it("has a scale bar of a round length that is not too long", () => {
    for (const scale of [1e-5, 0.013, 0.2, 7]) {
      const bar = scaleBar(scale, 140);
      expect(bar.pixels).toBeLessThanOrEqual(140);
      expect(bar.pixels).toBeGreaterThan(50);
      expect(String(bar.metres).replace(/0|\./g, "")).toMatch(/^[125]$/);
    }
  });
});

describe("colours", () => {
  it("are packed for the canvas and averaged for smooth edges", () => {
    expect(packed("#010203")).toBe(0xff030201);
    const out = new Uint32Array(1);
    shrink(Uint32Array.from(["#000000", "#ffffff", "#000000", "#ffffff"].map(packed)), 2, 2, 2, out);
    expect(out[0] & 255).toBe(127);
  });
});

describe("a view beside what hangs over the map", () => {
  const size = { width: 900, height: 600 };
  const view = { scale: 0.5, left: 100, top: 2_000 };
  const at = (v: typeof view, x: number, y: number) => [(x - v.left) * v.scale, (v.top - y) * v.scale];

  it("has what was in the middle in the middle of the free part, at the same scale", () => {
    const [x, y] = [100 + 450 / 0.5, 2_000 - 300 / 0.5];
    const moved = centredIn(view, { left: 440, right: 0 });
    expect(moved.scale).toBe(view.scale);
    expect(at(moved, x, y)).toEqual([(440 + 900) / 2, 300]);
    expect(at(centredIn(view, { left: 0, right: 280 }), x, y)).toEqual([(900 - 280) / 2, 300]);
  });

  it("has a box that stood aside in the middle of the free part, at the same scale and height", () => {
    const box = { left: 300, right: 700, top: 1_900, bottom: 1_500 };
    const moved = centredOn(view, box, size, { left: 440, right: 60 });
    expect(moved.scale).toBe(view.scale);
    expect(at(moved, 500, 1_700)).toEqual([(440 + 900 - 60) / 2, at(view, 500, 1_700)[1]]);
  });

  it("keeps its middle when the canvas becomes smaller", () => {
    const smaller = resized(view, size, { width: 900, height: 240 });
    expect(at(smaller, 1_000, 1_400)).toEqual([450, 120]);
  });

  it("says how much of the areas is seen", () => {
    const box = { left: 100, right: 1_300, top: 2_000, bottom: 1_000 }; // 600 by 500 pixels from the corner
    const all = { left: 0, right: 0, top: 0, bottom: 0 };
    expect(seenOf(box, view, size, all)).toBe(1);
    expect(seenOf(box, view, size, { ...all, left: 300 })).toBe(0.5);
    expect(seenOf(box, view, size, { ...all, left: 300, bottom: 350 })).toBe(0.25);
    expect(seenOf(box, view, size, { ...all, left: 700 })).toBe(0);
  });
});
