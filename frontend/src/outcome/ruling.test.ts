import { describe, expect, it } from "vitest";
import { seeded } from "../random";
import { classOf } from "./classes";
import {
  changing,
  classesNow,
  coarser,
  leaving,
  moved,
  nearTies,
  nextStop,
  reaching,
  roundStop,
  ruled,
  ruleText,
  simplest,
} from "./ruling";

/** The same random cases at each run: values in order, and breaks among them. */
function cases(count: number): { ordered: number[]; inner: number[]; to: number; n: number; up: boolean }[] {
  const random = seeded(7);
  const kinds = [
    () => Math.floor(random() * 20) - 10,
    () => random() * 2e6 - 1e6,
    () => Number((random() * 100).toFixed(1)),
    () => 10 ** (random() * 16 - 10),
  ];
  return Array.from({ length: count }, () => {
    const kind = kinds[Math.floor(random() * kinds.length)];
    const ordered = Array.from({ length: 2 + Math.floor(random() * 38) }, kind).sort((a, b) => a - b);
    const [low, high] = [ordered[0], ordered[ordered.length - 1]];
    const pick = () =>
      random() < 0.5 ? ordered[Math.floor(random() * ordered.length)] : low + random() * (high - low);
    const inner = [...new Set(Array.from({ length: 1 + Math.floor(random() * 5) }, pick))].sort(
      (a, b) => a - b,
    );
    return {
      ordered,
      inner,
      to: low + (random() * 3 - 1) * (high - low),
      n: Math.floor(random() * 5),
      up: random() < 0.5,
    };
  }).filter((c) => c.ordered[0] < c.ordered[c.ordered.length - 1]);
}

const classes = (ordered: number[], inner: number[]) =>
  ordered.map((v) => classOf(v, reaching(inner, ordered), false));

describe("working on breaks", () => {
  it("moves no area with the simplest figures, and makes no figure longer", () => {
    for (const { ordered, inner } of cases(2_000)) {
      const simple = simplest(inner, ordered);
      expect(classes(ordered, simple)).toEqual(classes(ordered, inner));
      simple.forEach((b, i) => {
        expect(String(b).length, `${b} for ${inner[i]}`).toBeLessThanOrEqual(
          Math.max(String(inner[i]).length, 6),
        );
      });
    }
    expect(simplest([38.3, 59.33, 9_873_212], [14.8, 38.3, 39.01, 59.3, 61.7, 9_799_000, 9_901_000])).toEqual(
      [39, 60, 9_900_000],
    );
  });

  it("never leaves a value outside, whatever is done to a break", () => {
    for (const { ordered, inner, to, n } of cases(1_000)) {
      const at = n % inner.length;
      for (const next of [moved(inner, at, to, ordered), ruled(inner, to)]) {
        expect([...next].sort((a, b) => a - b)).toEqual(next);
        expect(new Set(next).size).toBe(next.length);
        for (const c of classes(ordered, next)) expect(c).toBeGreaterThanOrEqual(0);
      }
    }
  });

  it("steps to where areas change class, those at one value and no others", () => {
    let stepped = 0;
    for (const { ordered, inner, n, up } of cases(1_000)) {
      const at = n % inner.length;
      const stop = nextStop(inner, at, up, ordered);
      if (stop === null) continue;
      stepped++;
      const next = moved(inner, at, stop, ordered);
      const order = ordered.map((_, i) => i);
      const found = changing({ values: ordered, order }, reaching(inner, ordered), reaching(next, ordered));
      expect(new Set(found.map((i) => ordered[i])).size).toBe(1);
    }
    expect(stepped).toBeGreaterThan(300);
  });

  it("finds the areas that one event more or less would move", () => {
    const numerator = [10, 20, 30, 40, 0];
    const sorted = { values: [20, 40, 60, 80], order: [0, 1, 2, 3] };
    expect(nearTies(sorted, numerator, [20, 38, 61, 80], "event")).toEqual([1, 2]);
    expect(nearTies(sorted, numerator, [20, 50, 80], "event")).toEqual([]);
    expect(nearTies(sorted, numerator, [20, 40.4, 80], 0.5)).toEqual([1]);
  });

  it("tells areas by their sorted values as one by one", () => {
    for (const { ordered, inner, to, n } of cases(1_000)) {
      const next = n > 2 ? ruled(inner, to) : moved(inner, n % inner.length, to, ordered);
      const order = ordered.map((_, i) => ordered.length - 1 - i);
      const [before, after] = [reaching(inner, ordered), reaching(next, ordered)];
      const [was, is] = [classes(ordered, inner), classes(ordered, next)];
      const others = order.filter((_, i) => was[i] !== is[i]);
      expect(changing({ values: ordered, order }, before, after)).toEqual(others);
      if (before.length === after.length) expect(leaving(ordered, before, after)).toBe(others.length);
      const reached = ordered.map((_, i) => (i + 1) * 10);
      classesNow(ordered, reached, after).forEach((c, k) => {
        const own = ordered.filter((_, i) => is[i] === k);
        expect([c.areas, c.denominator]).toEqual([own.length, own.length * 10]);
        if (own.length) expect([c.low, c.high]).toEqual([own[0], own[own.length - 1]]);
      });
      const step = (ordered[ordered.length - 1] - ordered[0]) / 20;
      const above = (v: number) => next.filter((b) => v > b).length;
      const near = order.filter((_, i) => {
        const v = ordered[i];
        return above(v + step) !== above(v) || (v > step && above(v - step) !== above(v));
      });
      expect(nearTies({ values: ordered, order }, [], after, step)).toEqual(near);
    }
  });

  it("counts what lies beyond breaks that stand as in no class", () => {
    for (const { ordered, inner } of cases(1_000)) {
      if (inner.length < 3) continue;
      const order = ordered.map((_, i) => i);
      const own = ordered.map((v) => classOf(v, inner, false));
      const held = classesNow(ordered, ordered, inner);
      expect(held.map((c) => c.areas)).toEqual(held.map((_, k) => own.filter((c) => c === k).length));
      const all = reaching([], ordered);
      const others = reaching(inner.slice(1, -1), ordered);
      const is = ordered.map((v) => classOf(v, others, false));
      expect(changing({ values: ordered, order }, inner, others)).toEqual(
        order.filter((i) => own[i] !== is[i]),
      );
      expect(leaving(ordered, inner, others)).toBe(order.filter((i) => own[i] !== is[i]).length);
      expect(leaving(ordered, inner, inner)).toBe(0);
      const most = Math.max(...held.map((c) => c.areas));
      if (inner.length > 2) expect(leaving(ordered, inner, all)).toBe(ordered.length - most);
      const step = (ordered[ordered.length - 1] - ordered[0]) / 20;
      const near = order.filter((i) => {
        const v = ordered[i];
        return [v + step, ...(v > step ? [v - step] : [])].some((w) => classOf(w, inner, false) !== own[i]);
      });
      expect(nearTies({ values: ordered, order }, [], inner, step, true)).toEqual(near);
    }
  });

  it("offers coarser steps that part the values otherwise and leave none outside", () => {
    let offered = 0;
    for (const { ordered, inner } of cases(1_000)) {
      const was = classes(ordered, inner);
      for (const { step, inner: next } of coarser(inner, ordered)) {
        offered++;
        expect(next).toHaveLength(inner.length);
        expect([...new Set(next)].sort((a, b) => a - b)).toEqual(next);
        const is = classes(ordered, next);
        expect(is).not.toEqual(was);
        for (const c of is) expect(c).toBeGreaterThanOrEqual(0);
        for (const b of next) expect(Math.abs(b / step - Math.round(b / step))).toBeLessThan(1e-6);
      }
    }
    expect(offered).toBeGreaterThan(500);
    expect(coarser([38.3], [1, 36, 39, 43, 52, 100]).map((c) => [c.step, c.inner[0]])).toContainEqual([
      20, 40,
    ]);
  });

  it("takes classes of another number for those whose areas they share", () => {
    const values = [1, 2, 3, 4, 5, 6, 7, 8];
    expect(leaving(values, [1, 4, 8], [1, 2, 4, 8])).toBe(2);
    expect(leaving(values, [1, 2, 4, 6, 8], [1, 8])).toBe(6);
    expect(leaving(values, [1, 4, 8], [1, 2, 8])).toBe(2);
  });

  it("steps to round figures with Shift, and writes a break's own figure", () => {
    expect(roundStop([38.3, 59.3], 0, true, [10, 100])).toBe(40);
    expect(roundStop([40, 59.3], 0, false, [10, 100])).toBe(30);
    expect([ruleText(38.3, 1), ruleText(40, 1), ruleText(1234567.25, 0)]).toEqual([
      "38.3",
      "40.0",
      "1,234,567.25",
    ]);
  });
});
