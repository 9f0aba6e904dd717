import { describe, expect, it } from "vitest";
import type { Corner } from "../api/bulk";
import { boxesBeside, boxesOf, fittedBeside } from "./insets";

const SIZE = { width: 900, height: 600 };
const FREE = { left: 0, top: 0, right: 280, bottom: 48 };

function inset(at: Corner, width: number, height: number) {
  return { at, bounds: { left: 0, bottom: 0, right: width, top: height }, own: false, says: "", rings: null };
}

describe("boxes of insets", () => {
  it("show all of their bounds, stay within what is free, and never cover one another", () => {
    for (const corner of ["bottom right", "bottom left", "top right", "top left"] as Corner[]) {
      const insets = [inset(corner, 3000, 1000), inset(corner, 500, 4000), inset("top left", 10, 10)];
      const boxes = boxesOf(insets, SIZE, FREE);
      for (const [i, box] of boxes.entries()) {
        const { view } = box;
        const { right, top } = insets[i].bounds;
        expect(view.left).toBeLessThanOrEqual(0);
        expect(view.top).toBeGreaterThanOrEqual(top);
        expect(view.left + box.width / view.scale).toBeGreaterThanOrEqual(right);
        expect(view.top - box.height / view.scale).toBeLessThanOrEqual(0);
        expect(box.left).toBeGreaterThanOrEqual(0);
        expect(box.left + box.width).toBeLessThanOrEqual(SIZE.width - FREE.right);
      }
      const [a, b] = boxes;
      expect(a.top + a.height <= b.top || b.top + b.height <= a.top).toBe(true);
    }
  });

  it("leave the areas beside them as large as they can be, and cover none where there is room", () => {
    const bounds = { left: 0, bottom: 0, right: 1000, top: 1000 };
    const free = { left: 0, top: 0, right: 0, bottom: 40 };
    for (const corner of ["bottom right", "bottom left", "top right", "top left"] as Corner[]) {
      const boxes = boxesOf([inset(corner, 500, 300)], SIZE, free);
      const view = fittedBeside(bounds, SIZE, free, boxes);
      const [a, b] = [(0 - view.left) * view.scale, (1000 - view.left) * view.scale];
      const [c, d] = [(view.top - 1000) * view.scale, (view.top - 0) * view.scale];
      const [box] = boxes;
      expect(b <= box.left || a >= box.left + box.width || d <= box.top || c >= box.top + box.height).toBe(
        true,
      );
      expect(1000 * view.scale).toBeGreaterThan(450);
    }
    const wide = fittedBeside(
      { ...bounds, right: 3000 },
      SIZE,
      free,
      boxesOf([inset("bottom right", 9, 9)], SIZE, free),
    );
    expect(3000 * wide.scale).toBeGreaterThan(500);
  });

  it("leave every area somewhere to be seen, however many boxes there are and however small the frame", () => {
    const nowhere = { left: 0, top: 0, right: 0, bottom: 0 };
    const corners = [
      "bottom right",
      "bottom left",
      "top right",
      "top left",
      "bottom right",
      "bottom left",
    ] as const;
    const bounds = { left: 0, bottom: 0, right: 1000, top: 900 };
    for (const size of [SIZE, { width: 190, height: 115 }, { width: 150, height: 96 }])
      for (let count = 1; count <= 6; count++)
        for (const [wide, tall] of [
          [300, 200],
          [40, 700],
          [900, 30],
        ]) {
          const insets = corners.slice(0, count).map((at) => inset(at, wide, tall));
          const boxes = boxesOf(insets, size, nowhere);
          const view = fittedBeside(bounds, size, nowhere, boxes, 6);
          const map = {
            left: (0 - view.left) * view.scale,
            top: (view.top - 900) * view.scale,
            width: 1000 * view.scale,
            height: 900 * view.scale,
          };
          const all = [...boxes, map];
          for (const [i, a] of all.entries()) {
            expect(a.left >= -1e-9 && a.left + a.width <= size.width + 1e-9).toBe(true);
            expect(a.top >= -1e-9 && a.top + a.height <= size.height + 1e-9).toBe(true);
            for (const b of all.slice(i + 1))
              expect(
                a.left + a.width <= b.left + 1e-6 ||
                  b.left + b.width <= a.left + 1e-6 ||
                  a.top + a.height <= b.top + 1e-6 ||
                  b.top + b.height <= a.top + 1e-6,
              ).toBe(true);
          }
          for (const [i, box] of boxes.entries()) {
            const { right, top } = insets[i].bounds;
            expect(box.view.left).toBeLessThanOrEqual(1e-6);
            expect(box.view.left + box.width / box.view.scale).toBeGreaterThanOrEqual(right - 1e-6);
            expect(box.view.top).toBeGreaterThanOrEqual(top - 1e-6);
          }
        }
  });
});

describe("boxes while something hangs over the map", () => {
  it("stand beside it, and become smaller rather than cover areas", () => {
    const bounds = { left: 0, bottom: 0, right: 430, top: 560 };
    for (const free of [
      { left: 440, top: 0, right: 0, bottom: 48 },
      { left: 0, top: 0, right: 280, bottom: 48 },
    ]) {
      const size = { width: 940, height: 640 };
      const room = size.width - free.left - free.right;
      const view = { scale: 1, left: -(free.left + (room - 430) / 2), top: 560 + 20 };
      for (const corner of ["bottom right", "bottom left", "top right", "top left"] as Corner[]) {
        const [box] = boxesBeside([inset(corner, 300, 180)], size, free, bounds, view);
        expect(box.left).toBeGreaterThanOrEqual(free.left);
        expect(box.left + box.width).toBeLessThanOrEqual(size.width - free.right);
        const clear =
          box.left + box.width <= free.left + (room - 430) / 2 ||
          box.left >= free.left + (room + 430) / 2 ||
          box.top >= 20 + 560 ||
          box.top + box.height <= 20;
        expect(clear || box.width <= 60).toBe(true);
      }
    }
  });
});
