import { describe, expect, it } from "vitest";
import type { Points } from "../api/bulk";
import { cellTable, fillCells, type Lattice } from "../geometry/lattice";
import { NOTHING } from "../geometry/scanline";
import { CELLS, WARDS } from "../plan/fixture";
import { paintDots, paintEvents, paintGrid } from "./dots";
import { dotsOf, gridsOf, isLaid } from "./overlays";

const POINTS: Points = {
  x: Float32Array.from([1, 2, 3, 4]),
  y: Float32Array.from([1, 2, 3, 4]),
  area: Int32Array.from([0, -1, 1, 2]),
  colour: Uint32Array.from([10, 20, 30, 40]),
  way: Uint8Array.from([1, 0, 4, 1]),
  verdict: Uint8Array.from([0, 2, 1, 0]),
  of: 4,
};

describe("dots", () => {
  it("are all events in their areas' colours, or those alone that want a look", () => {
    expect([...dotsOf(POINTS, "placed").colour]).toEqual([10, 20, 30, 40]);
    expect([...dotsOf(POINTS, "outside").x]).toEqual([2, 3]);
    expect([...dotsOf(POINTS, "labels").x]).toEqual([2, 3]);
    expect(new Set(dotsOf(POINTS, "outside").colour).size).toBe(2);
  });

  it("stand where their events are, and nothing is painted off the screen", () => {
    const out = new Uint32Array(20 * 20);
    const view = { scale: 4, left: 0, top: 5 };
    paintDots(POINTS, view, 20, 20, out, 1);
    expect(out[(20 - 4) * 20 + 4]).toBe(10);
    expect(out[(20 - 16) * 20 + 16]).toBe(40);
    const aside = new Uint32Array(400);
    paintDots(POINTS, { ...view, left: 100 }, 20, 20, aside, 1);
    expect(aside.some((c) => c !== 0)).toBe(false);
  });

  it("that crowd are the darker the more there are, up to a million, and lie over what is there", () => {
    const [white, black] = [0xffffffff, 0xff000000];
    const counts = [1, 10, 1_000, 100_000, 1_000_000];
    const n = counts.reduce((a, b) => a + b);
    const x = new Float32Array(n);
    let from = 0;
    for (const [k, count] of counts.entries()) {
      x.fill(k + 0.5, from, from + count);
      from += count;
    }
    const crowd = { x, y: new Float32Array(n).fill(0.5), colour: new Uint32Array(n).fill(black) };
    const out = new Uint32Array(6).fill(white);
    paintEvents(crowd, { scale: 1, left: 0, top: 1 }, 6, 1, out, 1);
    const grey = [...out].map((c) => c & 255);
    expect(grey.slice(0, 5)).toEqual([...grey.slice(0, 5)].sort((a, b) => b - a));
    for (let k = 1; k < 5; k++) expect(grey[k - 1] - grey[k]).toBeGreaterThan(15);
    expect([grey[4], grey[5]]).toEqual([0, 255]);
    expect(new Set([...out].map((c) => c >>> 24))).toEqual(new Set([255]));
    // Two kinds at one place have the mean of their colours; over nothing it is as faint as one event is.
    const two = {
      x: x.subarray(0, 5_000).fill(0.5),
      y: crowd.y,
      colour: Uint32Array.from({ length: 5_000 }, (_, i) => (i % 2 ? 0xff0000fe : 0xfffe0000)),
    };
    const mixed = new Uint32Array(1);
    paintEvents(two, { scale: 1, left: 0, top: 1 }, 1, 1, mixed, 1);
    expect([mixed[0] & 255, (mixed[0] >> 16) & 255, mixed[0] >>> 24]).toEqual([127, 127, 255]);
  });
});

describe("a grid's lines", () => {
  it("run where two cells, or a cell and nothing, meet, and nowhere else", () => {
    const lattice: Lattice = {
      hexagon: true,
      swapped: false,
      width: 10,
      height: 5 * Math.sqrt(3),
      originX: 0,
      originY: 0,
      cosine: 1,
      sine: 0,
    };
    const cells = cellTable(Int32Array.from([0, 1, 0]), Int32Array.from([0, 0, 1]), null, lattice);
    const view = { scale: 3, left: -10, top: 20 };
    const [width, height] = [90, 90];
    const ids = new Int32Array(width * height);
    const out = new Uint32Array(width * height);
    paintGrid(cells, 7, view, width, height, ids, out, 1);
    fillCells(cells, view, width, height, ids);
    for (let y = 0; y + 1 < height; y++) {
      for (let x = 0; x + 1 < width; x++) {
        const at = y * width + x;
        const near = [ids[at], ids[at + 1], ids[at + width]];
        expect(out[at] === 7).toBe(new Set(near).size > 1);
      }
    }
    expect(ids.includes(NOTHING) && ids.includes(2)).toBe(true);
  });
});

describe("grids tried out", () => {
  const drawn = { column: new Int32Array(), row: new Int32Array(), lattice: {} as Lattice };
  const trial = { drawn } as never;
  const laid = { areas: { ...CELLS, cover: { corners: null, source: "wards" } } };

  it("have lines while they are not laid", () => {
    const other = { areas: { ...laid.areas, size: 600 } };
    expect(gridsOf([trial, trial], [other, laid], laid)).toHaveLength(1);
    expect(gridsOf([trial], [laid], { areas: WARDS })).toHaveLength(1);
    expect(gridsOf([undefined], [other], laid)).toEqual([]);
  });

  it("are the laid one where the plan says the same, in whatever order", () => {
    const turned = Object.fromEntries(Object.entries(laid.areas).reverse()) as typeof laid.areas;
    expect(isLaid({ areas: turned }, laid) && isLaid(laid, { areas: turned })).toBe(true);
    expect(isLaid({ areas: { ...laid.areas, cut: false } }, laid)).toBe(false);
    expect(isLaid({ areas: { ...laid.areas, cover: null } }, laid)).toBe(false);
    expect(isLaid({ areas: WARDS }, { areas: WARDS })).toBe(false);
    expect(isLaid(undefined, laid)).toBe(false);
  });
});
