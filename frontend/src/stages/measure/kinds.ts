/** What each kind of measure has on the sheet: one entry a kind, and a kind without one is an error of the compiler. */
import type { Tally } from "../../api/client";
import { hasTime } from "../../plan/mapped";
import type { Events, Measure, Rate } from "../../plan/types";

/** A measure that could be added, with the name that is proposed for it. */
export interface Offer {
  name: string;
  measure: Measure;
  /** Why it cannot be had yet, in a sentence. */
  refusal?: string;
}

/** What the study knows, from which offers are made. */
export interface Known {
  /** The name of the events. */
  of: string;
  events: Events;
  /** What a recorded window is called. */
  period: string;
  /** How residents are known, and why that cannot be worked out. */
  rate: { measure: Rate; refusal: string } | null;
  tally: Tally | undefined;
}

type Entry = { offers: (known: Known) => Offer[] };

export const KINDS: { [K in Measure["kind"]]: Entry } = {
  count: {
    offers: ({ of }) => [{ name: of, measure: { kind: "count", events: of, time: "none" } }],
  },
  rate: {
    offers: ({ of, events, period, rate }) => {
      const time = hasTime(events) ? "window" : "none";
      const timed = time === "window" ? ` and ${period}` : "";
      const perGround: Offer = {
        name: `${of} per km²${timed}`,
        measure: { kind: "rate", events: of, denominator: { kind: "ground" }, per: 1, time },
      };
      if (rate?.measure.denominator.kind !== "table") return [perGround];
      const { per, denominator } = rate.measure;
      const figure = per === 1 ? "" : `${per.toLocaleString("en")} `;
      const perTable: Offer = {
        name: `${of} per ${figure}${denominator.noun}${rate.measure.time === "window" ? ` and ${period}` : ""}`,
        measure: { ...rate.measure, events: of },
        refusal: rate.refusal,
      };
      return [perTable, perGround];
    },
  },
  share: {
    offers: ({ of, tally }) => {
      const column = tally?.columns.find((c) => c.values.length > 1);
      if (!column) return [];
      const values = [column.values[0].value];
      const group = [
        { kind: "values" as const, name: null, on: true, column: column.column, values, keep: true },
      ];
      return [
        { name: `share of a group among ${of}`, measure: { kind: "share", events: of, group, per: 100 } },
      ];
    },
  },
};

/** Are two measures the same question, whatever they are called and however their rows are added? */
export function isLike(a: Measure, b: Measure): boolean {
  if (a.kind !== b.kind || a.events !== b.events) return false;
  if (a.kind === "rate" && b.kind === "rate") {
    const [over, under] = [a.denominator, b.denominator];
    if (over.kind === "table" && under.kind === "table")
      return over.source === under.source && over.value === under.value;
    return over.kind === under.kind;
  }
  return true;
}
