import { readFileSync } from "node:fs";
import { describe, expect, it } from "vitest";
import { askedFor, type Frame, figuresAtEdges } from "./degrees";

interface Case {
  says: string;
  lines: [number, number][][];
  owner: number[];
  texts: string[];
  meridian: number[];
  frame: Frame;
  sizes: [number, number][];
  taken: Frame[];
  figures: [number, number, number][];
}

const CASES: Case[] = JSON.parse(
  readFileSync(new URL("../../../tests/shared/edge_figures.json", import.meta.url), "utf8"),
);

describe("the same places as on a printed page", () => {
  it.each(CASES)("$says", ({ lines, owner, texts, meridian, frame, sizes, taken, figures }) => {
    const start = [0];
    for (const line of lines) start.push(start[start.length - 1] + 2 * line.length);
    const rings = {
      xy: Float32Array.from(lines.flat(2)),
      start: Int32Array.from(start),
      owner: Int32Array.from(owner),
    };
    const found = figuresAtEdges({ key: "k", rings, texts, meridian }, (x, y) => [x, y], frame, sizes, taken);
    expect(found.length).toBe(figures.length);
    for (const [k, { line, x, y }] of found.entries()) {
      expect(line).toBe(figures[k][0]);
      expect(x).toBeCloseTo(figures[k][1], 5);
      expect(y).toBeCloseTo(figures[k][2], 5);
    }
  });
});

describe("the part that is asked for", () => {
  const size = { width: 900, height: 600 };
  it("holds what is seen, is not many times larger, and stays the same for small moves", () => {
    for (const scale of [1e-5, 3e-3, 0.7, 40]) {
      const view = { scale, left: 12_345.6, top: -9_876.5 };
      const asked = askedFor(view, size);
      const [right, bottom] = [view.left + 900 / scale, view.top - 600 / scale];
      expect(asked.left).toBeLessThan(view.left);
      expect(asked.right).toBeGreaterThan(right);
      expect(asked.bottom).toBeLessThan(bottom);
      expect(asked.top).toBeGreaterThan(view.top);
      expect((asked.right - asked.left) * scale).toBeLessThan(3 * 900);
      expect((asked.top - asked.bottom) * scale).toBeLessThan(3.2 * 600);
      const moved = [0.25, 0.5, 0.75, 1].map((k) =>
        JSON.stringify(askedFor({ ...view, left: view.left + (k * 60) / scale }, size)),
      );
      expect(new Set([JSON.stringify(asked), ...moved]).size).toBeLessThan(3);
    }
  });
});
