import { expect, it } from "vitest";
import type { Reference } from "../plan/types";
import { linesOf } from "./references";

it("divides lines by their kind, and draws what it does not know like a shore", () => {
  const xy = Float32Array.from([0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 5, 5]);
  const start = Int32Array.from([0, 4, 8, 12]);
  const rings = { xy, start, owner: Int32Array.from([0, 1, 2]) };
  const closed = Uint8Array.from([0, 1, 0]);
  const roads = { name: "roads", rings, kind: ["street", "coast", "street"], closed, columns: ["kind"] };
  const plain: Reference = {
    kind: "reference",
    source: "roads",
    shown: true,
    line: null,
    width: null,
    fill: null,
    names: null,
  };
  const found = linesOf(roads, plain);
  expect(found.map((l) => [...l.rings.owner])).toEqual([[0, 2], [1]]);
  expect([...found[0].rings.xy]).toEqual([0, 0, 1, 1, 4, 4, 5, 5]);
  expect([...found[0].rings.start]).toEqual([0, 4, 8]);
  expect(found[1].fromScale).toBe(0);
  const own = linesOf(roads, { ...plain, width: 3, fill: "#aabbcc" });
  expect(own.map((l) => [l.fill ?? l.width, [...l.rings.owner]])).toEqual([
    ["#aabbcc", [1]],
    [3, [0, 1, 2]],
  ]);
  const none = { xy: new Float32Array(0), start: new Int32Array(1), owner: new Int32Array(0) };
  expect(linesOf({ ...roads, rings: none, kind: [], closed: new Uint8Array(0) }, plain)).toEqual([]);
});
