/** A small plan for tests, every choice written out. */
import { copied } from "../records";
import { FRESH } from "./place";
import { ofEvents } from "./sums";
import { AS_COUNTED } from "./sure";
import type { Events, FromTable, Grid, Plan, Zones } from "./types";

export const WARDS: Zones = {
  kind: "zones",
  source: "wards",
  identifier: "code",
  name: "name",
  crs: null,
  roll_up: null,
  overlaps: "each",
};

export const CELLS: Grid = { ...FRESH, size: 500 };

export const PEOPLE: FromTable = {
  kind: "table",
  source: "people",
  keys: [{ table: "code", area: "identifier" }],
  value: "n",
  decimal: null,
  rows: "checked",
  add_over: [],
  absent: "mistake",
  noun: "residents",
  where: [],
  mean_over: null,
  years: null,
  follow: true,
  sums: true,
  repeated: "refuse",
  shared: null,
  accepted: {},
};

const CALLS: Events = {
  source: "calls",
  coordinates: { kind: "columns", x: "x", y: "y", decimal: ".", crs: "EPSG:4326" },
  stated: null,
  number: null,
  number_decimal: null,
  identifier: null,
  repeated_identifier: "set_aside",
  swapped_axes: "set_aside",
  far_away: "set_aside",
  look_up: null,
  corrections: [],
  places: [],
  labels: {},
  columns: null,
  time: null,
  recorded: [
    { name: "summer 2023", first_day: "2023-06-01", last_day: "2023-08-31", where: null },
    { name: "summer 2024", first_day: "2024-06-01", last_day: "2024-08-31", where: null },
  ],
  where: [],
};

/** Calls per resident and summer in wards, or in other areas. */
export function planOf(areas: Plan["place"]["areas"] = WARDS): Plan {
  return copied({
    format: "steady-tally-plan",
    version: 3,
    gather: { reading: {}, events: { calls: CALLS } },
    place: {
      areas,
      projection: { system: null, method: "azimuthal", centre: null, parallels: null },
      exclude: { where: [], areas: ["A"], inside: [] },
      stated: { keys: ["name"], accepted: { Oakk: "A" }, trust_within_m: 0 },
      tolerance_m: 0,
      complete_from: 0.85,
      carry: ["c"],
      separator: "; ",
      neighbours: { by: { kind: "border", corners: true, within_m: 1 }, links: [] },
    },
    measure: {
      rate: {
        kind: "quotient",
        numerator: ofEvents("calls"),
        denominator: PEOPLE,
        per: 10000,
        time: "window",
        ...AS_COUNTED,
      },
    },
    release: null,
    class: { rate: { method: "natural_breaks", by: "areas", count: 7, zero: "apart" } },
    show: {
      title: "",
      mapped: "rate",
      colours: {
        rate: { ramp: "peat", reversed: false, below: null, middle: null, ends: null, words: [], bands: [] },
      },
      hide_empty: false,
      around: "water",
      outlines: { draw: "hairline", colour: "paper", width: 1 },
      over: "district",
      insets: [],
      layers: [],
      labels: [],
    },
  });
}
