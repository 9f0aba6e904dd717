import { describe, expect, it } from "vitest";
import { cardWidth, columnLeft, railWidth, sheetLeft, sheetWidth, taken } from "./hang";
import { STAGES } from "./store";

describe("a sheet", () => {
  it("never covers the card or leaves the window, and leaves room for the map", () => {
    for (const width of [1024, 1280, 1920]) {
      for (const stage of STAGES) {
        for (const card of [false, true]) {
          const from = sheetLeft(stage, card, width);
          const edge = width - railWidth(width) - (card ? cardWidth(width) : 0);
          expect(from).toBeGreaterThanOrEqual(0);
          if (width > 1024) expect(from + sheetWidth(stage, width)).toBeLessThanOrEqual(edge);
          const { left, right } = taken(stage, card, width);
          const free = width - railWidth(width) - left - right;
          expect(free).toBeGreaterThanOrEqual(160);
          const covered = from < width - railWidth(width) - right && from + sheetWidth(stage, width) > left;
          // Only where both sides of the sheet are slivers may it hang over the map.
          if (covered)
            expect(
              Math.max(
                from,
                width - railWidth(width) - from - sheetWidth(stage, width) - (card ? cardWidth(width) : 0),
              ),
            ).toBeLessThan(160);
        }
      }
    }
  });

  it("stands at the rail where it would leave a narrow window's map in two strips, and hangs where it is wide", () => {
    for (const stage of STAGES) {
      for (const width of [1024, 1280, 1440]) {
        const from = sheetLeft(stage, false, width);
        const right = width - railWidth(width) - from - sheetWidth(stage, width);
        expect(from === 0 || Math.abs(right) < 1).toBe(true);
      }
      const column = columnLeft(stage, 1920);
      const most = 1920 - railWidth(1920) - sheetWidth(stage, 1920);
      expect(sheetLeft(stage, false, 1920)).toBe(Math.max(0, Math.min(column, most)));
    }
  });
});
