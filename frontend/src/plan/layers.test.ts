import { describe, expect, it } from "vitest";
import { planOf } from "./fixture";
import { changed, isShown, keyOf, moved } from "./layers";
import type { Layer, Reference } from "./types";

const water: Reference = {
  kind: "reference",
  source: "water",
  shown: true,
  line: null,
  width: null,
  fill: null,
  names: null,
};
const STACK: Layer[] = [
  { kind: "over" },
  { ...water, source: "roads" },
  water,
  { kind: "events", shown: false, by: null },
  { kind: "outlines" },
  { kind: "areas", shown: true, opacity: 1 },
];
const keys = (stack: readonly Layer[]) => stack.map(keyOf);

describe("the stack of layers", () => {
  it("changes one layer and no other, references by their source", () => {
    const next = changed(STACK, water, { fill: "#aabbcc" });
    expect(next[2]).toEqual({ ...water, fill: "#aabbcc" });
    expect([...next.slice(0, 2), ...next.slice(3)]).toEqual([...STACK.slice(0, 2), ...STACK.slice(3)]);
    expect(STACK[2]).toEqual(water);
  });

  it("moves a layer past one other at a time, and none off its ends", () => {
    let stack: Layer[] = STACK;
    for (let k = 0; k < STACK.length + 2; k++) stack = moved(stack, water, true);
    expect(keys(stack)[0]).toBe("reference water");
    expect(keys(stack).filter((k) => k !== "reference water")).toEqual(
      keys(STACK).filter((k) => k !== "reference water"),
    );
    for (let k = 0; k < STACK.length + 2; k++) stack = moved(stack, water, false);
    expect(keys(stack)[STACK.length - 1]).toBe("reference water");
    expect(moved(STACK, { ...water, source: "gone" }, true)).toEqual(STACK);
    expect(moved(moved(STACK, water, true), water, false)).toEqual(STACK);
  });

  it("knows which are drawn", () => {
    const now = planOf();
    const shown = (layer: Layer) => isShown(layer, now);
    expect(STACK.map(shown)).toEqual([true, true, true, false, true, true]);
    now.show.over = null;
    now.show.outlines.draw = "none";
    expect(STACK.map(shown)).toEqual([false, true, true, false, false, true]);
    expect(shown({ ...water, shown: false })).toBe(false);
  });
});
