/** The breaks while they are worked on: moved in a draft that the map and the rail follow, then kept as one version. */
import { useEffect, useMemo, useRef } from "react";
import type { Study, View } from "../api/client";
import {
  changing,
  coarser,
  moved,
  nextStop,
  reaching,
  roundStop,
  ruled,
  type Sorted,
  simplest,
  upTo,
} from "../outcome/ruling";
import { mappedClasses, mappedName } from "../plan/mapped";
import { byHand } from "../plan/methods";
import type { Classing } from "../plan/types";
import { same } from "../records";
import { useSavePlan } from "../state/queries";
import { useDoing, useParts } from "../state/store";

/** How long keys may rest before what they moved is kept. */
const KEPT_AFTER_MS = 700;

export function useRuling(study: Study, view: View, sorted: Sorted) {
  const ordered = sorted.values;
  const { drafted, set } = useParts("drafted", "set");
  const save = useSavePlan(study, view);
  const { reset } = save;
  // What was refused was about the plan before.
  // biome-ignore lint/correctness/useExhaustiveDependencies: a newer version ends it
  useEffect(() => reset(), [view.version, reset]);
  const timer = useRef(0);
  const key = view.keys.classed;
  const stands = view.ledger.breaks;
  const now = useMemo(() => stands.slice(1, -1), [stands]);
  const draft = drafted?.key === key ? drafted.inner : null;
  const inner = draft ?? now;
  // What was drafted over another result is of no use here.
  useEffect(() => {
    if (drafted && drafted.key !== key) set({ drafted: null });
  }, [drafted, key, set]);

  const put = (next: readonly number[]) =>
    set({
      drafted: { key, inner: next, changing: changing(sorted, stands, reaching(next, ordered)), kept: false },
    });
  const leave = () => {
    window.clearTimeout(timer.current);
    set({ drafted: null });
  };
  const keepClassing = (change: (before: Classing) => Classing) => {
    window.clearTimeout(timer.current);
    const d = useDoing.getState().drafted;
    set({ drafted: d && { ...d, kept: true } });
    save.mutate(
      (plan) => {
        plan.class[mappedName(plan)] = change(mappedClasses(plan));
      },
      { onError: leave },
    );
  };
  const keep = (next: readonly number[]) => {
    if (next.length === now.length && next.every((b, i) => b === now[i])) return leave();
    keepClassing((before) => byHand(before, next));
  };
  const latest = () => {
    const { drafted: d } = useDoing.getState();
    return d?.key === key ? d.inner : now;
  };
  const past = view.steps;
  const method = past.findLast((c) => c.method !== "by_hand");
  return {
    inner,
    /** Has somebody hold of a break? */
    moving: draft !== null,
    /** The areas that would change class. */
    changing: (draft !== null && drafted?.changing) || [],
    move: (at: number, to: number) => put(moved(latest(), at, to, ordered)),
    /** Let go: the simplest figure that moves no further area is kept. */
    release: (at: number) => {
      const next = latest();
      const plain = simplest(next, ordered);
      keep(next.map((b, i) => (i === at && b !== now[i] ? plain[i] : b)));
    },
    step: (at: number, up: boolean, round: boolean) => {
      const from = latest();
      const stop = round ? roundStop(from, at, up, ordered) : nextStop(from, at, up, ordered);
      if (stop === null) return;
      put(moved(from, at, stop, ordered));
      window.clearTimeout(timer.current);
      timer.current = window.setTimeout(() => keep(latest()), KEPT_AFTER_MS);
    },
    leave,
    /** A figure typed for a break: kept, or a sentence on why not. */
    type: (at: number, text: string, scale: number): string => {
      const value = Number(text.replaceAll(",", "").trim()) * scale;
      if (!text.trim() || !Number.isFinite(value)) return `“${text}” is no number.`;
      const low = now[at - 1] ?? stands[0];
      const high = now[at + 1] ?? stands[stands.length - 1];
      if (!(value >= low && value <= high) || value === now[at - 1] || value === now[at + 1])
        return `This break stands between ${short(low / scale)} and ${short(high / scale)}.`;
      keep(now.map((b, i) => (i === at ? value : b)));
      return "";
    },
    rule: (value: number) => {
      const next = ruled(now, value);
      if (next.length === now.length) return;
      const at = next.indexOf(value);
      keep(ruled(now, simplest(next, ordered)[at]));
    },
    /** Another break in the middle of the class above one. */
    split: (at: number) => {
      const first = upTo(ordered, now[at]);
      const last = at + 1 < now.length ? upTo(ordered, now[at + 1]) : ordered.length;
      const value = ordered[first + ((last - first - 1) >> 1)];
      if (last - first > 1 && value !== undefined) keep(ruled(now, value));
    },
    takeOut: (at: number) => keep(now.filter((_, i) => i !== at)),
    /** The breaks in their simplest figures, where that changes any. */
    simpler: useMemo(() => {
      const plain = simplest(now, ordered);
      return plain.some((b, i) => b !== now[i]) ? plain : null;
    }, [now, ordered]),
    keep,
    /** Coarser steps that breaks could stand on, where that moves areas: each with what it costs. */
    coarser: useMemo(
      () =>
        coarser(now, ordered).map((found) => ({
          ...found,
          changing: changing(sorted, stands, reaching(found.inner, ordered)),
        })),
      [now, ordered, sorted, stands],
    ),
    /** Show what breaks would do, without keeping them. */
    show: put,
    undo: past.length
      ? () => keepClassing((before) => stepBefore(past, mappedClasses(view.plan), before))
      : null,
    /** The method that the breaks were made by before they were moved. */
    method: mappedClasses(view.plan).method === "by_hand" ? method : undefined,
    backTo: (classing: Classing) => keepClassing(() => classing),
  };
}

/** How areas were classed one step before: before what is saved, or before a step that was taken back and waits. */
export function stepBefore(past: readonly Classing[], saved: Classing, now: Classing): Classing {
  const at = same(now, saved) ? -1 : past.findLastIndex((step) => same(step, now));
  return at < 0 ? past[past.length - 1] : (past[at - 1] ?? now);
}

/** A number in a sentence: six figures are enough to say where it is. */
export function short(n: number): string {
  return Number(n.toPrecision(6)).toLocaleString("en", { maximumFractionDigits: 12 });
}
