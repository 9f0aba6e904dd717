import { readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { classOf } from "./classes";

// A million values and the classes that the server puts them into by every method: `tests/shared/million.py` writes
// them where ./test.sh says.
const folder = process.env.STEADY_TALLY_MILLION;

interface Case {
  says: string;
  breaks: number[];
  apart: boolean;
}

describe.runIf(folder)("a million values by every method", () => {
  const read = (name: string) => readFileSync(join(folder ?? "", name));
  const cases: Case[] = folder ? JSON.parse(read("cases.json").toString()) : [];
  it.each(cases.map((c, i) => [c.says, c, i] as const))("%s", (_, { breaks, apart }, k) => {
    const values = new Float64Array(new Uint8Array(read("values.f64")).buffer);
    const classes = new Int8Array(new Uint8Array(read("classes.i8")).buffer);
    expect(values.length).toBe(1_000_000);
    let differ = 0;
    const seen = new Set<number>();
    for (let i = 0; i < values.length; i++) {
      const own = classOf(values[i], breaks, apart);
      seen.add(own);
      if (own !== classes[k * values.length + i]) differ++;
    }
    expect(differ).toBe(0);
    expect(seen.size).toBeGreaterThan(2);
  });
});
