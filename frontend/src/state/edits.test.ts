import fc from "fast-check";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { type Base, EditQueue, merged, type Server } from "./edits";

interface Plan {
  count: number;
  said: string[];
  measure: Record<string, unknown>;
}

/** A server with delays and failures, and versions that anybody may add to. */
class Pretended implements Server<Plan> {
  versions: Base<Plan>[] = [{ id: "0", plan: { count: 5, said: [], measure: { few: 0, shown: true } } }];
  saves = 0;
  constructor(
    private readonly delay: () => number,
    private readonly fault: () => "none" | "lost before" | "lost after" | "refused",
  ) {}
  get head() {
    return this.versions[this.versions.length - 1];
  }
  save = async (id: string, parent: string, plan: Plan) => {
    this.saves += 1;
    const fault = this.fault();
    await new Promise((done) => setTimeout(done, this.delay()));
    if (fault === "lost before") throw new Error("unreachable");
    const there = this.versions.find((v) => v.id === id);
    if (!there) {
      if (plan.said.includes("refused")) throw new Error("refused");
      if (parent !== this.head.id) throw new Error("conflict");
      this.versions.push({ id, plan: structuredClone(plan) });
    }
    if (fault === "lost after") throw new Error("unreachable");
    return structuredClone(this.versions.find((v) => v.id === id)!);
  };
  latest = async () => {
    await new Promise((done) => setTimeout(done, this.delay()));
    return structuredClone(this.head);
  };
  meaning = (error: unknown) => (error as Error).message as "unreachable" | "conflict" | "refused";
}

const more = {
  apply: (plan: Plan) => {
    plan.count += 1;
  },
};
const say = (word: string) => ({ apply: (plan: Plan) => void plan.said.push(word) });
const quick = () =>
  new Pretended(
    () => 60,
    () => "none",
  );

beforeEach(() => void vi.useFakeTimers());
afterEach(() => void vi.useRealTimers());

test("four presses of + a quarter of a second apart are four classes more", async () => {
  const server = quick();
  const queue = new EditQueue(server.head, server);
  for (let n = 1; n <= 4; n++) {
    void queue.add(more);
    expect(queue.shown().count).toBe(5 + n);
    await vi.advanceTimersByTimeAsync(250);
  }
  await vi.advanceTimersByTimeAsync(5_000);
  expect(server.head.plan.count).toBe(9);
  expect(queue.unsaved).toBe(0);
});

test("twenty changes in two seconds are two saves, and the first is saved at once", async () => {
  const server = quick();
  const queue = new EditQueue(server.head, server);
  for (let n = 0; n < 20; n++) {
    void queue.add(more);
    if (n === 0) {
      await vi.advanceTimersByTimeAsync(60);
      expect(server.head.plan.count).toBe(6);
      await vi.advanceTimersByTimeAsync(40);
    } else await vi.advanceTimersByTimeAsync(100);
  }
  await vi.advanceTimersByTimeAsync(5_000);
  expect(server.saves).toBe(2);
  expect(server.head.plan.count).toBe(25);
});

test("twenty changes in two seconds are two saves, too, where a save takes longer than the pause between two", async () => {
  const server = new Pretended(
    () => 350,
    () => "none",
  );
  const queue = new EditQueue(server.head, server);
  for (let n = 0; n < 20; n++) {
    void queue.add(more);
    await vi.advanceTimersByTimeAsync(95);
  }
  await vi.advanceTimersByTimeAsync(10_000);
  expect([server.saves, server.head.plan.count]).toEqual([2, 25]);
});

test("of changes that are refused together the one that is at fault is dropped, and who made it is told", async () => {
  const server = quick();
  const queue = new EditQueue(server.head, server);
  const ended: string[] = [];
  for (const word of ["a", "b", "refused", "c", "d"])
    queue.add(say(word)).then(
      () => ended.push(word),
      (error: Error) => ended.push(`${word}: ${error.message}`),
    );
  await vi.advanceTimersByTimeAsync(10_000);
  expect(server.head.plan.said).toEqual(["a", "b", "c", "d"]);
  expect(ended.toSorted()).toEqual(["a", "b", "c", "d", "refused: refused"]);
  expect(queue.shown().said).toEqual(["a", "b", "c", "d"]);
});

test("what somebody else has saved in the meantime stays, and the changes are made on it", async () => {
  const server = quick();
  const queue = new EditQueue(server.head, server);
  server.versions.push({ id: "theirs", plan: { ...server.head.plan, said: ["theirs"] } });
  void queue.add(say("ours"));
  await vi.advanceTimersByTimeAsync(1_000);
  expect(server.head.plan.said).toEqual(["theirs", "ours"]);
});

test("a change that must ask first is made on the plan that it asked for", async () => {
  const server = quick();
  const queue = new EditQueue(server.head, server);
  const asked: number[] = [];
  const naming = {
    ask: async (plan: Plan) => {
      asked.push(plan.count);
      await new Promise((done) => setTimeout(done, 200));
      return `${plan.count} classes`;
    },
    apply: (plan: Plan, told: unknown) => void plan.said.push(told === undefined ? "…" : String(told)),
  };
  void queue.add(more);
  void queue.add(naming);
  expect(queue.shown().said).toEqual(["…"]);
  void queue.add(more);
  await vi.advanceTimersByTimeAsync(5_000);
  expect(asked.at(-1)).toBe(6);
  expect(server.head.plan).toMatchObject({ count: 7, said: ["6 classes"] });
});

test("while nobody answers changes are shown and wait, and are saved once somebody does", async () => {
  let there = false;
  const server = new Pretended(
    () => 10,
    () => (there ? "none" : "lost before"),
  );
  const queue = new EditQueue(server.head, server);
  void queue.add(say("a"));
  await vi.advanceTimersByTimeAsync(30_000);
  void queue.add(say("b"));
  await vi.advanceTimersByTimeAsync(30_000);
  expect([queue.silent, queue.unsaved, queue.shown().said]).toEqual([true, 2, ["a", "b"]]);
  there = true;
  await vi.advanceTimersByTimeAsync(10_000);
  expect([queue.silent, queue.unsaved, server.head.plan.said]).toEqual([false, 0, ["a", "b"]]);
});

test("at any pace, delay and failure the last plan is that of all changes in order, and what is shown is that all the time", async () => {
  const step = fc.record({
    gap: fc.oneof(fc.constant(0), fc.integer({ min: 1, max: 900 })),
    delay: fc.oneof(fc.integer({ min: 0, max: 80 }), fc.integer({ min: 200, max: 3_000 })),
    fault: fc.constantFrom("none", "none", "none", "lost before", "lost after", "theirs") as fc.Arbitrary<
      "none" | "lost before" | "lost after" | "theirs"
    >,
  });
  await fc.assert(
    fc.asyncProperty(fc.array(step, { minLength: 1, maxLength: 30 }), async (steps) => {
      let at = 0;
      let theirs = 0;
      const server = new Pretended(
        () => steps[at % steps.length].delay,
        () => {
          const { fault } = steps[at++ % steps.length];
          // What always fails would never end.
          return at > 3 * steps.length || fault === "theirs" ? "none" : fault;
        },
      );
      const queue = new EditQueue(server.head, server);
      const expected: string[] = [];
      for (const [n, { gap, fault }] of steps.entries()) {
        expected.push(`e${n}`);
        void queue.add(say(`e${n}`));
        expect(queue.shown().said.filter((w) => w.startsWith("e"))).toEqual(expected);
        if (fault === "theirs") {
          const plan = { ...server.head.plan, said: [...server.head.plan.said, `t${theirs}`] };
          server.versions.push({ id: `theirs ${theirs++}`, plan });
        }
        await vi.advanceTimersByTimeAsync(gap);
      }
      await vi.advanceTimersByTimeAsync(600_000);
      expect(queue.unsaved).toBe(0);
      expect(server.head.plan.said.filter((w) => w.startsWith("e"))).toEqual(expected);
      expect(server.head.plan.said.filter((w) => w.startsWith("t"))).toHaveLength(theirs);
      expect(queue.shown()).toEqual(server.head.plan);
    }),
    { numRuns: 150 },
  );
}, 60_000);

test("a part built from what was on screen changes no more than it did there", () => {
  const before = { few: 0, shown: true, terms: ["a"], under: { source: "t", keys: [1] } };
  const after = { ...before, few: 5, under: { source: "t", keys: [2] } };
  const newest = { ...before, shown: false, terms: ["a", "b"], under: { source: "u", keys: [1] } };
  expect(merged(before, after, newest)).toEqual({
    few: 5,
    shown: false,
    terms: ["a", "b"],
    under: { source: "u", keys: [2] },
  });
  expect(merged({ a: 1, b: 2 }, { b: 2 } as object, { a: 1, b: 3 })).toEqual({ b: 3 });
  expect(merged({}, { constructor: 1 } as object, {})).toEqual({ constructor: 1 });
});
