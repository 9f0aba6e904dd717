import { describe, expect, it } from "vitest";
import { NOTHING } from "../geometry/scanline";
import { type Look, packed, paint } from "./paint";

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
