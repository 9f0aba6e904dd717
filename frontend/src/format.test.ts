import { describe, expect, it } from "vitest";
import { figure, plural, whole } from "./format";

describe("figures", () => {
  it("have three figures at least and thousands apart", () => {
    expect([0, 0.01234, 1.5, 17.24, 204.4, 58907.4].map(figure)).toEqual([
      "0",
      "0.0123",
      "1.50",
      "17.2",
      "204",
      "58,907",
    ]);
  });
  it("are whole where they count", () => {
    expect([whole(1234567), plural(1, "event"), plural(0, "event"), plural(2, "area")]).toEqual([
      "1,234,567",
      "1 event",
      "0 events",
      "2 areas",
    ]);
  });
});
