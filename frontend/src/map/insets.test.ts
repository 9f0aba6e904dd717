import { describe, expect, it } from "vitest";
import { boxesOf, type Corner } from "./insets";

const SIZE = { width: 900, height: 600 };
const FREE = { left: 0, top: 0, right: 280, bottom: 48 };

function inset(width: number, height: number) {
  return { bounds: { left: 0, bottom: 0, right: width, top: height }, own: false, says: "", rings: null };
}

describe("boxes of insets", () => {
  it("show all of their bounds, stay within what is free, and never cover one another", () => {
    const insets = [inset(3000, 1000), inset(500, 4000), inset(10, 10)];
    for (const corner of ["bottom right", "bottom left", "top right", "top left"] as Corner[]) {
      const boxes = boxesOf(insets, [corner, corner, "top left"], SIZE, FREE);
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
});
