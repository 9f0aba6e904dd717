import { describe, expect, it } from "vitest";
import type { Look } from "../api/client";
import { choicesOf, freeName, grouped, importBody, undecided, usesOf } from "./choices";
import {
  altered,
  joined,
  joint,
  keptValues,
  monthEnd,
  painted,
  parts,
  put,
  says,
  toggled,
  weekOf,
  withWeek,
} from "./filter";

const LOOK: Look = {
  file_name: "calls.2026.csv.gz",
  byte_count: 1,
  twin: null,
  kind: "text",
  reading: { inside: false },
  choices: [],
  said: [],
  rows: 3,
  ragged: 0,
  shapes: {},
  columns: ["id", "when", "x", "y"].map((name) => ({ name, kind: "text", filled: 1, distinct: 3 })),
  first: [],
  role: "events",
  coordinates: [{ kind: "columns", x: "x", y: "y", decimal: ".", crs: null }],
  systems: [],
  identifier: "id",
  times: [
    { column: "when", order: null, readable: 1, evidence: "both ways", clock: null, until: null, born: null },
  ],
  totals: [],
  stated: [],
  picture: null,
} as unknown as Look;

describe("choices", () => {
  it("are guessed, and what nobody can know is asked", () => {
    const first = choicesOf(LOOK, ["calls.2026"]);
    expect(first.name).toBe("calls.2026 2");
    expect(undecided(LOOK, first, false)).toHaveLength(2);
    const known = choicesOf(
      { ...LOOK, systems: [{ code: "EPSG:32624", name: "UTM", inside: 0.9, places: null }] },
      [],
    );
    const decided = { ...known, time: { ...known.time!, order: "day-first" as const } };
    expect(undecided(LOOK, decided, false)).toEqual([]);
    const byName = { ...decided, coordinates: { kind: "none" as const } };
    expect(undecided(LOOK, byName, true)).toEqual(["Say which column has the area of each record."]);
    expect(undecided(LOOK, { ...byName, stated: "x" }, true)).toEqual([]);
    expect(undecided(LOOK, { ...byName, stated: "x" }, false)[0]).toContain("Bring in the zones first");
    expect(usesOf(decided)).toEqual(
      new Map([
        ["x", "east"],
        ["y", "north"],
        ["when", "time"],
        ["id", "identifier"],
      ]),
    );
    const body = importBody(
      "u",
      LOOK,
      {
        ...decided,
        left: ["id"],
        facts: { publisher: "Harbour", licence: " " },
      },
      false,
    );
    expect(body.events).toMatchObject({ columns: ["when", "x", "y"], coordinates: { crs: "EPSG:32624" } });
    expect(body.facts).toEqual({ publisher: "Harbour" });
  });

  it("put a Shapefile's members together and leave others alone", () => {
    const names = ["a.shp", "b.csv", "A.DBF", "c.shp", "a.prj", "a.csv"].map((name) => ({ name }));
    expect(grouped(names).map((g) => g.map((f) => f.name))).toEqual([
      ["a.shp", "A.DBF", "a.prj"],
      ["b.csv"],
      ["c.shp"],
      ["a.csv"],
    ]);
    expect(freeName("noending", [])).toBe("noending");
  });
});

describe("the filter", () => {
  it("holds the ticked values, and no condition where all or none are ticked", () => {
    const one = toggled([], "kind", ["a", "b", "c"], "b");
    expect(one).toMatchObject([{ kind: "values", column: "kind", values: ["b"] }]);
    const two = toggled(one, "kind", ["a", "b", "c"], "a");
    expect(keptValues(two, "kind")).toEqual(new Set(["a", "b"]));
    expect(toggled(two, "kind", ["a", "b", "c"], "c")).toEqual([]);
    expect(toggled(one, "kind", ["a", "b", "c"], "b")).toEqual([]);
  });

  it("paints hours of the week, whichever corner one begins at", () => {
    const nights = painted(null, { day: 6, hour: 23 }, { day: 4, hour: 20 }, true);
    expect(nights.join("").replaceAll("0", "")).toHaveLength(12);
    const fewer = painted(nights, { day: 5, hour: 22 }, { day: 5, hour: 22 }, false);
    const where = withWeek([], fewer);
    expect(weekOf(where)).toEqual(fewer);
    expect(says(where[0])).toBe("11 hours of the week");
    expect(withWeek(where, painted(fewer, { day: 0, hour: 0 }, { day: 6, hour: 23 }, true))).toEqual([]);
  });

  it("keeps its conditions, names and order when they are joined otherwise", () => {
    const some = put(
      put([], () => false, { kind: "days", first_day: "2024-02-01", last_day: "2024-02-29" }),
      () => false,
      {
        kind: "contains",
        column: "remark",
        text: "fall",
      },
    );
    const either = joined(parts(some), "any");
    expect(joint(either)).toBe("any");
    expect(parts(either)).toEqual(some);
    expect(says(either[0])).toBe("2024-02-01 to 2024-02-29 or remark contains “fall”");
    expect(put(either, (c) => c.kind === "days", null)).toMatchObject([
      { kind: "any", of: [{ kind: "contains" }] },
    ]);
    const lane = { text: "fall", column: "remark", kind: "contains" as const, on: true, name: null };
    expect(altered(either, lane, null)).toMatchObject([{ kind: "any", of: [{ kind: "days" }] }]);
    expect(parts(altered(either, lane, { on: false }))[1]).toMatchObject({ kind: "contains", on: false });
    expect(monthEnd("2024-02-01")).toBe("2024-02-29");
  });
});
