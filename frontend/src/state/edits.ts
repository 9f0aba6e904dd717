/**
 * One queue of changes for each study. A change is a function of the newest plan: it is shown at once, saved in its turn,
 * and made anew on a newer version where the server has one, so that what is shown is always the saved plan with all
 * changes that wait. Knows no React and no server.
 */

import { copied, isRecord, record, same } from "../records";

export interface Base<Plan> {
  id: string;
  plan: Plan;
}

/** `ask` finds what the change must know of the plan that it is made on; what it throws drops the change. */
export interface Edit<Plan> {
  apply: (plan: Plan, told: unknown) => void;
  ask?: (plan: Plan, base: Base<Plan>) => Promise<unknown>;
}

export interface Server<Plan> {
  /** Save a version under an id of our own, so that asking again makes no second one. */
  save: (id: string, parent: string, plan: Plan) => Promise<Base<Plan>>;
  latest: () => Promise<Base<Plan>>;
  /** What an error means: nobody answered, somebody else was faster, or this cannot be done. */
  meaning: (error: unknown) => "unreachable" | "conflict" | "refused";
}

interface Waiting<Plan> extends Edit<Plan> {
  done: () => void;
  fail: (error: unknown) => void;
}

/** Changes that follow each other faster than that are saved together. */
export const QUIET_MS = 300;
/** But none waits longer. */
export const LONGEST_MS = 2_000;
const PAUSES_MS = [500, 1_000, 2_000, 4_000];

const pause = (ms: number) => new Promise<void>((done) => setTimeout(done, ms));

export class EditQueue<Plan> {
  private waiting: Waiting<Plan>[] = [];
  private listeners = new Set<() => void>();
  private before = new Set<string>();
  private running = false;
  private last = Number.NEGATIVE_INFINITY;
  private first = Number.NEGATIVE_INFINITY;
  private made: Plan | null = null;
  /** Nobody has answered the last request. */
  silent = false;

  constructor(
    private base: Base<Plan>,
    private readonly server: Server<Plan>,
  ) {}

  /** The saved plan with all changes that wait. */
  shown = (): Plan => {
    if (this.made === null) {
      let plan = this.base.plan;
      for (const edit of this.waiting) plan = applied(plan, edit, undefined) ?? plan;
      this.made = plan;
    }
    return this.made;
  };

  get unsaved(): number {
    return this.waiting.length;
  }

  subscribe = (tell: () => void) => {
    this.listeners.add(tell);
    return () => this.listeners.delete(tell);
  };

  /** Is a version the one that changes are made on, or one that it came after? */
  knows(version: string): boolean {
    return version === this.base.id || this.before.has(version);
  }

  /** A version that was opened by another way: it is the base, unless changes wait, which find it when they are saved. */
  meet(base: Base<Plan>): void {
    if (this.knows(base.id) || this.waiting.length) return;
    this.rest(base);
  }

  /** Make a change; the promise holds once it is saved. */
  add(edit: Edit<Plan>): Promise<void> {
    const now = Date.now();
    if (!this.waiting.length) this.first = now;
    const saved = new Promise<void>((done, fail) => this.waiting.push({ ...edit, done, fail }));
    const quick = now - this.last < QUIET_MS;
    this.last = now;
    this.tell();
    void this.save(quick);
    return saved;
  }

  private rest(base: Base<Plan>): void {
    this.before.add(this.base.id);
    this.base = base;
    this.tell();
  }

  private tell(): void {
    this.made = null;
    for (const listener of this.listeners) listener();
  }

  /** Until there is a pause in the changes, or the first has waited for long enough. */
  private async untilQuiet(): Promise<void> {
    for (;;) {
      const now = Date.now();
      const left = Math.min(this.last + QUIET_MS, this.first + LONGEST_MS) - now;
      if (left <= 0) return;
      await pause(left);
    }
  }

  private async save(quick: boolean): Promise<void> {
    if (this.running) return;
    this.running = true;
    let alone = 0; // so many are to be saved one by one, since together they were refused
    try {
      if (quick) await this.untilQuiet();
      while (this.waiting.length) {
        const asked = this.waiting.slice(0, alone ? 1 : undefined);
        const { plan, made } = await this.on(asked);
        this.first = this.last;
        if (!made.length) continue;
        const met = await this.sent(plan);
        if (met === "conflict") continue;
        if (met === null) this.take(made, (edit) => edit.done());
        else if (made.length > 1) alone = made.length + 1;
        else this.take(made, (edit) => edit.fail(met.error));
        alone = Math.max(alone - 1, 0);
        if (this.waiting.length && !alone) await this.untilQuiet();
      }
    } finally {
      this.running = false;
    }
  }

  /** The plan with these changes made on what is saved, and those of them that could be made. */
  private async on(asked: readonly Waiting<Plan>[]): Promise<{ plan: Plan; made: Waiting<Plan>[] }> {
    let plan = this.base.plan;
    const made: Waiting<Plan>[] = [];
    for (const edit of asked) {
      try {
        const told = edit.ask ? await this.answered(() => edit.ask!(plan, this.base)) : undefined;
        const next = applied(plan, edit, told);
        if (next === null) throw new Error("This change cannot be made on the plan as it is now.");
        plan = next;
        made.push(edit);
      } catch (error) {
        this.take([edit], (one) => one.fail(error));
      }
    }
    return { plan, made };
  }

  /** Save a plan; null once it is, and where that cannot be, why. */
  private async sent(plan: Plan): Promise<null | "conflict" | { error: unknown }> {
    const id = crypto.randomUUID(); // loopback is a secure context
    try {
      this.rest(await this.answered(() => this.server.save(id, this.base.id, plan)));
      return null;
    } catch (error) {
      if (this.server.meaning(error) !== "conflict") return { error };
      try {
        this.rest(await this.answered(() => this.server.latest()));
        return "conflict";
      } catch (other) {
        return { error: other };
      }
    }
  }

  /** Ask until somebody answers. */
  private async answered<T>(ask: () => Promise<T>): Promise<T> {
    for (let tries = 0; ; tries++) {
      try {
        const found = await ask();
        this.hear(false);
        return found;
      } catch (error) {
        const silent = this.server.meaning(error) === "unreachable";
        this.hear(silent);
        if (!silent) throw error;
        await pause(PAUSES_MS[Math.min(tries, PAUSES_MS.length - 1)]);
      }
    }
  }

  private hear(silent: boolean): void {
    if (silent === this.silent) return;
    this.silent = silent;
    this.tell();
  }

  private take(edits: readonly Waiting<Plan>[], end: (edit: Waiting<Plan>) => void): void {
    this.waiting = this.waiting.filter((edit) => !edits.includes(edit));
    for (const edit of edits) end(edit);
    this.tell();
  }
}

/** A plan with a change; null where it cannot be made. */
function applied<Plan>(plan: Plan, edit: Edit<Plan>, told: unknown): Plan | null {
  const next = copied(plan);
  try {
    edit.apply(next, told);
  } catch {
    return null;
  }
  return copied(next);
}

/** What changed between two values, made on a third: of objects entry by entry, of all else whole. */
export function merged<T>(before: T, after: T, newest: T): T {
  if (same(before, after)) return newest;
  if (!isRecord(before) || !isRecord(after) || !isRecord(newest)) return after;
  const names = [...new Set([...Object.keys(newest), ...Object.keys(after)])];
  const values = names.map((name) => {
    const [was, is, now] = [before, after, newest].map((o) => (Object.hasOwn(o, name) ? o[name] : undefined));
    return [name, merged(was, is, now)] as const;
  });
  return record(values.filter(([, value]) => value !== undefined)) as T;
}
