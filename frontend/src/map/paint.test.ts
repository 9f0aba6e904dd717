import { describe, expect, it } from "vitest";
import { NOTHING } from "../geometry/scanline";
import { seeded } from "../random";
import { LIGHTLY, type Look, packed, paint, shrink } from "./paint";

const [WATER, LINE, INK, HATCH, RED, BLUE] = [
  "#000001",
  "#000002",
  "#000003",
  "#000004",
  "#ff0000",
  "#0000ff",
].map(packed);

function look(change: Partial<Look> = {}): Look {
  return {
    colour: Uint32Array.from([RED, BLUE]),
    hatched: Uint8Array.from([0, 0]),
    doubtful: new Uint8Array(2),
    lined: Uint8Array.from([1, 1]),
    background: WATER,
    hairline: LINE,
    ink: INK,
    hatch: HATCH,
    marked: [],
    ...change,
  };
}

/** Two areas side by side with water around, 24 x 16 pixels. */
const [WIDTH, HEIGHT] = [24, 16];
const ids = Int32Array.from({ length: WIDTH * HEIGHT }, (_, at) => {
  const [x, y] = [at % WIDTH, Math.floor(at / WIDTH)];
  if (y < 3 || y > 12 || x < 3 || x > 20) return NOTHING;
  return x < 12 ? 0 : 1;
});

function painted(change: Partial<Look> = {}): Uint32Array {
  const out = new Uint32Array(WIDTH * HEIGHT);
  paint(ids, WIDTH, HEIGHT, look(change), out, 1);
  return out;
}

const at = (x: number, y: number) => y * WIDTH + x;
const count = (out: Uint32Array, colour: number) => out.filter((c) => c === colour).length;

/** The colour of one pixel, from its neighbours alone. */
function alone(some: Int32Array, width: number, height: number, of: Look, fine: number, p: number): number {
  const [x, y, id] = [p % width, Math.floor(p / width), some[p]];
  const there = (dx: number, dy: number) =>
    x + dx < 0 || x + dx >= width || y + dy < 0 || y + dy >= height ? id : some[p + dy * width + dx];
  const reach = 2 * fine;
  const sides = [there(-reach, 0), there(reach, 0), there(0, -reach), there(0, reach)];
  if (id !== NOTHING && of.marked.includes(id) && sides.some((o) => o !== id)) return INK;
  const thickest = Math.max(...of.lined);
  const thick = (o: number) => (o === NOTHING ? thickest : of.lined[o]);
  const pixels = (t: number) => (t <= 1 ? t : (t - 1) * fine);
  if (thickest <= 1) {
    const [right, below] = [there(1, 0), there(0, 1)];
    if ((right !== id || below !== id) && Math.min(thick(id), thick(right), thick(below)) > 0) return LINE;
  } else
    for (let d = 1; d <= pixels(thickest); d++)
      for (const o of [there(d, 0), there(0, d)])
        if (o !== id && d <= pixels(Math.min(thick(id), thick(o)))) return LINE;
  if (id === NOTHING) return WATER;
  const [every, dot] = of.doubtful[id] === LIGHTLY ? [12, 1] : [5, 1.5];
  if (of.doubtful[id] && x % (every * fine) < dot * fine && y % (every * fine) < dot * fine) return HATCH;
  return of.hatched[id] && (x + y) % (7 * fine) < fine ? HATCH : of.colour[id];
}

describe("painting", () => {
  it("draws lines as thick as is said, thinner where one of two areas is small, and none where one is tiny", () => {
    const row = (lined: number[]) => {
      const out = painted({ lined: Uint8Array.from(lined) });
      return [...out.slice(8 * WIDTH, 9 * WIDTH)].map((c, x) => (c === LINE ? x : -1)).filter((x) => x >= 0);
    };
    expect(row([1, 1])).toEqual([2, 11, 20]);
    expect(row([4, 4])).toEqual([0, 1, 2, 9, 10, 11, 18, 19, 20]);
    expect(row([4, 1])).toEqual([0, 1, 2, 11, 20]);
    expect(row([4, 0])).toEqual([0, 1, 2]);
  });

  it("gives every pixel its area's colour, the water's, or a hairline's", () => {
    const out = painted();
    expect([out[at(7, 7)], out[at(15, 7)], out[at(0, 0)]]).toEqual([RED, BLUE, WATER]);
    expect(out[at(11, 7)]).toBe(LINE);
    expect(count(out, RED) + count(out, BLUE) + count(out, WATER) + count(out, LINE)).toBe(WIDTH * HEIGHT);
  });

  it("has no hairline at an area that one would drown", () => {
    expect(count(painted({ lined: Uint8Array.from([0, 0]) }), LINE)).toBe(0);
    const half = painted({ lined: Uint8Array.from([1, 0]) });
    expect(half[at(11, 7)]).toBe(RED);
    expect(count(half, LINE)).toBeGreaterThan(0);
  });

  it("hatches areas without a value and nothing else", () => {
    const out = painted({ hatched: Uint8Array.from([0, 1]), lined: new Uint8Array(2) });
    const hatched = Array.from(out.keys()).filter((i) => out[i] === HATCH);
    expect(hatched.length).toBeGreaterThan(5);
    expect(new Set(hatched.map((i) => ids[i]))).toEqual(new Set([1]));
  });

  it("paints runs of pixels as if each pixel were looked at alone", () => {
    const random = seeded(11);
    const upTo = (n: number) => Math.floor(random() * n);
    for (let k = 0; k < 150; k++) {
      const [width, height, fine, areas] = [8 + upTo(40), 8 + upTo(30), 1 + upTo(2), 1 + upTo(6)];
      const some = Int32Array.from({ length: width * height }, () => NOTHING);
      for (let r = 0; r < 12; r++) {
        const [x0, y0, w, h, id] = [upTo(width), upTo(height), 1 + upTo(20), 1 + upTo(20), upTo(areas + 1)];
        for (let y = y0; y < Math.min(y0 + h, height); y++)
          for (let x = x0; x < Math.min(x0 + w, width); x++) some[y * width + x] = id - 1;
      }
      const flags = (n: number) => Uint8Array.from({ length: areas }, () => upTo(n));
      const of = look({
        colour: Uint32Array.from({ length: areas }, (_, i) => 1000 + i),
        hatched: flags(2),
        doubtful: flags(4),
        lined: flags(k % 2 ? 2 : 4),
        marked: Array.from({ length: upTo(3) }, () => upTo(areas)),
      });
      const out = new Uint32Array(width * height);
      paint(some, width, height, of, out, fine);
      for (let p = 0; p < out.length; p++)
        expect(out[p], `${k}: ${p}`).toBe(alone(some, width, height, of, fine, p));
    }
  });

  it("averages blocks of pixels", () => {
    const out = new Uint32Array(2);
    shrink(Uint32Array.from([RED, RED, RED, BLUE, RED, RED, BLUE, RED]), 4, 2, 2, out);
    expect([...out]).toEqual([RED, packed("#7f007f")]);
  });

  it("outlines marked areas inside their own border", () => {
    const out = painted({ marked: [0] });
    const rim = Array.from(out.keys()).filter((i) => out[i] === INK);
    expect(new Set(rim.map((i) => ids[i]))).toEqual(new Set([0]));
    expect(out[at(7, 7)]).toBe(RED);
    expect([out[at(3, 7)], out[at(4, 7)], out[at(10, 7)], out[at(7, 3)], out[at(7, 12)]]).toEqual(
      Array(5).fill(INK),
    );
  });
});
