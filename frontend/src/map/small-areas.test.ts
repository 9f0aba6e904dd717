import { describe, expect, it } from "vitest";
import type { Areas } from "../api/bulk";
import { drawnWith } from "./look";
import { packed, paint } from "./paint";

/** Squares of each side, a strip of them: how many each way lie beside each other, in pixels of the screen. */
const SIDES = [4, 6, 9, 12, 18, 30, 60];
const WIDE = 360;
const TALL = 60 * SIDES.length;
const FINE = 2;
const COLOURS = ["#d01010", "#10d010", "#1010d0", "#d0d010", "#d010d0", "#10d0d0", "#707070"].map(packed);

function drawn(draw: "hairline" | "line" | "none", width: number) {
  const ids = new Int32Array(WIDE * FINE * TALL * FINE);
  const of: number[] = [];
  const km2: number[] = [];
  SIDES.forEach((side, strip) => {
    const first = of.length;
    const across = WIDE / side;
    for (let i = 0; i < across * Math.ceil(60 / side); i++) {
      of.push(strip);
      km2.push((side * side) / 1e6);
    }
    for (let y = 0; y < 60 * FINE; y++)
      for (let x = 0; x < WIDE * FINE; x++) {
        const cell = Math.floor(y / (side * FINE)) * across + Math.floor(x / (side * FINE));
        ids[(strip * 60 * FINE + y) * WIDE * FINE + x] = first + cell;
      }
  });
  const areas = { areaKm2: Float64Array.from(km2) } as unknown as Areas;
  const look = {
    colour: Uint32Array.from(of, (strip) => COLOURS[strip]),
    hatched: new Uint8Array(of.length),
    doubtful: new Uint8Array(of.length),
    marked: [],
    ...drawnWith(areas, 1, { outlines: { draw, width, colour: "paper" }, around: "water" }),
  };
  const out = new Uint32Array(ids.length);
  paint(ids, WIDE * FINE, TALL * FINE, look, out, FINE);
  return { out, lined: look.lined, of };
}

/** How much of each strip has its colour, in what is painted and in what is shown. */
function shares(draw: "hairline" | "line" | "none", width: number): number[] {
  const { out } = drawn(draw, width);
  const count = COLOURS.map((c) => out.reduce((n, p) => n + (p === c ? 1 : 0), 0));
  const all = count.reduce((a, b) => a + b, 0);
  return count.map((n) => (n / all) * SIDES.length);
}

describe("areas of all sizes", () => {
  it.each([
    ["none", 1],
    ["hairline", 1],
    ["line", 1],
    ["line", 4],
  ] as const)("have as much of the map as of the ground: %s, %i wide", (draw, width) => {
    for (const share of shares(draw, width)) {
      expect(share).toBeGreaterThan(0.9);
      expect(share).toBeLessThan(1.1);
    }
  });

  it("have lines as wide as is wished where they are large, thinner ones, and none at last", () => {
    const { lined, of } = drawn("line", 2);
    expect(SIDES.map((_, strip) => lined[of.indexOf(strip)])).toEqual([0, 0, 0, 1, 1, 2, 3]);
    const hair = drawn("hairline", 2);
    expect(SIDES.map((_, strip) => hair.lined[hair.of.indexOf(strip)])).toEqual([0, 0, 0, 1, 1, 1, 1]);
  });
});
