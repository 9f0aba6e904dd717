import { expect, it } from "vitest";
import type { EventDots, Lines } from "../api/bulk";
import type { Layer, Reference } from "../plan/types";
import { INK } from "../theme";
import { layersOf } from "./layers";
import { middleOf } from "./middle";
import { packed } from "./paint";

const rings = {
  xy: Float32Array.from([0, 0, 4, 0, 4, 2, 0, 2, 0, 0, 10, 10, 11, 12]),
  start: Int32Array.from([0, 10, 14]),
  owner: Int32Array.from([0, 2]),
};
const roads: Lines = {
  name: "roads",
  rings,
  kind: ["street", "coast"],
  closed: Uint8Array.from([1, 0]),
  columns: ["kind"],
};
const reference = (source: string, shown = true): Reference => ({
  kind: "reference",
  source,
  shown,
  line: null,
  width: null,
  fill: null,
  names: null,
});
const dots: EventDots = {
  x: Float32Array.from([1, 2]),
  y: Float32Array.from([3, 4]),
  kind: Uint8Array.from([1, 0]),
  kinds: [
    { text: "a", colour: "#010203" },
    { text: "b", colour: "#040506" },
  ],
  of: 2,
};

it("the painter has the layers from the bottom up, as far as they have come and are shown", () => {
  const stack: Layer[] = [
    { kind: "over" },
    reference("roads"),
    reference("hidden", false),
    reference("not come yet"),
    { kind: "events", shown: true, by: "sex" },
    { kind: "degrees", shown: true },
    { kind: "outlines" },
    { kind: "areas", shown: true, opacity: 0.5 },
  ];
  const came = { references: [roads], over: undefined, dots: undefined, degrees: undefined };
  expect(layersOf(stack, came).map((l) => l.kind)).toEqual(["areas", "outlines", "lines"]);
  const all = layersOf(stack, {
    references: [roads],
    over: rings,
    dots,
    degrees: { key: "k", rings, texts: ["0°", "", "1° N"], meridian: [0, 0, 0] },
  });
  expect(all.map((l) => l.kind)).toEqual(["areas", "outlines", "lines", "events", "lines", "lines"]);
  expect(all[2]).toMatchObject({ kind: "lines", mapOnly: true });
  expect(all[0]).toEqual({ kind: "areas", shown: true, opacity: 0.5 });
  const events = all[3];
  expect(events.kind === "events" && [...events.dots.colour]).toEqual(["#040506", "#010203"].map(packed));
  const plain = layersOf([{ kind: "events", shown: true, by: null }], {
    ...came,
    dots: { ...dots, kind: Uint8Array.from([0, 0]), kinds: [] },
  });
  expect(plain[0].kind === "events" && [...plain[0].dots.colour]).toEqual([packed(INK), packed(INK)]);
  expect(layersOf([{ kind: "events", shown: false, by: null }], { ...came, dots })).toEqual([]);
});

it("the middle of an area is that of all its rings, and of none without a shape", () => {
  const none = { bounds: { left: 0, bottom: 0, right: 1, top: 1 }, tolerances: [], insets: [] };
  const zones = { kind: "zones" as const, rings, ...none };
  expect(middleOf(zones, 0)).toEqual([2, 1]);
  expect(middleOf(zones, 2)).toEqual([10.5, 11]);
  expect(middleOf(zones, 1)).toBeNull();
  const lattice = {
    hexagon: false,
    swapped: false,
    width: 2,
    height: 2,
    originX: 1,
    originY: 1,
    cosine: 1,
    sine: 0,
  };
  const cells = {
    kind: "cells" as const,
    column: Int32Array.from([0, 3]),
    row: Int32Array.from([0, 1]),
    area: Int32Array.from([5, 6]),
    lattice,
    inset: null,
    ...none,
  };
  expect(middleOf(cells, 6)).toEqual([8, 4]);
  expect(middleOf(cells, 7)).toBeNull();
});
