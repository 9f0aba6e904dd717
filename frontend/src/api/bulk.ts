/** The bulk of an outcome as typed arrays, straight out of the Arrow streams. */

import type { Table } from "apache-arrow";
import { type Lattice, latticeOf } from "../geometry/lattice";
import type { Rings } from "../geometry/scanline";
import type { Box } from "../geometry/view";
import type { Inset as InsetPlan, Place } from "../plan/types";
import { parsed } from "../records";
import { getArrow } from "./client";

/** What the areas are called; of cells this follows from their column and row. */
export interface Names {
  identifier: string[];
  name: string[];
}

export interface Values {
  numerator: Float64Array;
  /** All events in the area, whatever of them is counted. */
  events: Int32Array;
  denominator: Float64Array;
  areaKm2: Float64Array;
  /**
   * 1 for an area of which too little counts, plus 2 where its zero may be chance, 4 where it has too few events, 8
   * where its standard error is too large; 0 for none of these.
   */
  unreliable: Uint8Array;
  value: Float64Array;
  /** Where the values are words, what each stands for: a value is a position here. Else empty. */
  words: string[];
  /** How many windows or years of recording each is divided by; 1 where time is not. */
  time: Float64Array;
  state: Uint8Array;
  /** Why a value cannot be worked out, where something says. */
  why: Uint8Array;
  /** Of a formula, the figures that its names stand for. */
  named: Float64Array[];
  /** The ends of each value's interval. */
  low: Float64Array;
  high: Float64Array;
  /** Of adjusted values what they were at each step, first as counted. */
  steps: Float64Array[];
  /** Further figures that came up on the way. */
  beside: Float64Array[];
  /** Where areas are set against something: -1 lower, 0 not different, 1 higher, 2 where it cannot be said. */
  side: Int8Array | null;
  /** How likely a figure as far off is by chance alone, after correction where there is one. */
  p: Float64Array | null;
}

export interface Classes {
  /** How likely each area is to stay in its class, 0 to 1. */
  steadiness: Float64Array;
  /** The class that each area is in, 0 = lowest, or a code of `outcome/classes.ts`. */
  own: Int16Array;
}

/** All that is known of each area; the parts come one by one, each under its own key. */
export type Areas = Names & Values & Classes;

export type Corner = InsetPlan["at"];

/** A part of the map in a box of its own. */
export interface Inset {
  bounds: Box;
  /** The corner of the map where it stands. */
  at: Corner;
  /** In another projection than the map. */
  own: boolean;
  /** What its projection does there, in words. */
  says: string;
  /** Its zones in its own plane; cells are those of the map. */
  rings: Rings | null;
}

export type Shapes = {
  bounds: Box;
  /** How far in metres a line may lie from the true one, for each level of detail. */
  tolerances: number[];
  insets: Inset[];
} & (
  | { kind: "zones"; rings: Rings }
  | {
      kind: "cells";
      column: Int32Array;
      row: Int32Array;
      area: Int32Array;
      lattice: Lattice;
      /** The inset that each stands in, -1 for the map; null where there are no insets. */
      inset: Int8Array | null;
    }
);

export interface Lines {
  /** What the source is called. */
  name: string;
  rings: Rings;
  kind: string[];
  /** 1 for a ring that encloses something. */
  closed: Uint8Array;
  /** The source's columns. */
  columns: string[];
}

/** Where labels stand, each in the plane that its area is drawn in. */
export interface Anchors {
  x: Float32Array;
  y: Float32Array;
  /** How far the border is, in metres; 0 where there is no room. */
  radius: Float32Array;
  /** The number of the inset that the area is drawn in, -1 for none. */
  inset: Int8Array;
  /** Of each height of `ROOM_HEIGHTS`, half of how wide a box there can be, for each area. */
  rooms: Float32Array[];
}

/** Half of a box's height, in parts of the distance to the border: as in `core/geo/anchors.py`. */
export const ROOM_HEIGHTS = [0.12, 0.25, 0.4, 0.55, 0.7, 0.85];

/** Names that stand somewhere. */
export interface Named {
  x: Float64Array;
  y: Float64Array;
  text: string[];
}

/** The mapped events, and the kinds that they are told apart by. */
export interface EventDots {
  x: Float32Array;
  y: Float32Array;
  kind: Uint8Array;
  kinds: { text: string; colour: string }[];
  of: number;
}

/** Where the results of one version of a study's plan lie. */
export function resultsOf(view: { study: string; version: string }): string {
  return `/api/studies/${view.study}/plans/${view.version}`;
}

export async function fetchNames(results: string, key: string): Promise<Names> {
  const table = await getArrow(`${results}/areas/${key}/names`);
  if (table.getChild("name"))
    return { identifier: strings(table, "identifier"), name: strings(table, "name") };
  const [column, row] = [numbers<Int32Array>(table, "column"), numbers<Int32Array>(table, "row")];
  const called = table.schema.metadata.get("name")!;
  const each = <T>(name: (c: number, r: number) => T) => Array.from(column, (c, i) => name(c, row[i]));
  return { identifier: each((c, r) => `${called}/${c}/${r}`), name: each((c, r) => `cell ${c}, ${r}`) };
}

export async function fetchValues(results: string, key: string): Promise<Values> {
  const table = await getArrow(`${results}/values/${key}`);
  const all = (kind: string) =>
    table.schema.names
      .map(String)
      .filter((name) => name.startsWith(`${kind} `))
      .map((name) => numbers<Float64Array>(table, name));
  return {
    why: numbers(table, "why"),
    named: all("named"),
    steps: all("step"),
    beside: all("beside"),
    side: table.getChild("side") ? numbers(table, "side") : null,
    p: table.getChild("p") ? numbers(table, "p") : null,
    numerator: numbers(table, "numerator"),
    events: numbers(table, "events"),
    denominator: numbers(table, "denominator"),
    areaKm2: numbers(table, "area_km2"),
    unreliable: numbers(table, "unreliable"),
    value: numbers(table, "value"),
    words: words(table),
    time: numbers(table, "time"),
    state: numbers(table, "state"),
    low: numbers(table, "low"),
    high: numbers(table, "high"),
  };
}

/** The value and the state of each area by one measure. */
export interface OneMeasure {
  value: Float64Array;
  words: string[];
  state: Uint8Array;
}

export async function fetchMeasure(results: string, name: string, key: string): Promise<OneMeasure> {
  const table = await getArrow(`${results}/measures/${encodeURIComponent(name)}/${key}`);
  return { value: numbers(table, "value"), words: words(table), state: numbers(table, "state") };
}

/** Each area's point in a funnel; NaN where it has none. */
export interface FunnelPoints {
  x: Float64Array;
  y: Float64Array;
}

export async function fetchFunnel(results: string, key: string): Promise<FunnelPoints> {
  const table = await getArrow(`${results}/funnel/${key}`);
  return { x: numbers(table, "x"), y: numbers(table, "y") };
}

/** How many events of each kind each area has. */
export interface Kinds {
  /** How many kinds there are; of many only the commonest come. */
  of: number;
  words: string[];
  counts: Int32Array[];
}

export async function fetchKinds(results: string, key: string): Promise<Kinds> {
  const table = await getArrow(`${results}/kinds/${key}`);
  const names = table.schema.names.map(String);
  const counts = names.map((name) => numbers<Int32Array>(table, name));
  return { of: Number(table.schema.metadata.get("of")), words: names, counts };
}

export async function fetchClasses(results: string, key: string): Promise<Classes> {
  const table = await getArrow(`${results}/classes/${key}`);
  return { steadiness: numbers(table, "steadiness"), own: numbers(table, "class") };
}

/** The same of a few areas, as they come with a saved plan: little-endian, in base64. */
export function classesOf({ own, steadiness }: { own: string; steadiness: string }): Classes {
  const bytes = (text: string) => Uint8Array.from(atob(text), (c) => c.charCodeAt(0)).buffer;
  return { own: new Int16Array(bytes(own)), steadiness: new Float64Array(bytes(steadiness)) };
}

/** Classes alone, of figures of before. */
export async function fetchClassesOf(path: string): Promise<Classes["own"]> {
  return numbers(await getArrow(path), "class");
}

export async function fetchShapes(results: string, key: string, level: number): Promise<Shapes> {
  const path = `${results}/shapes/${key}`;
  const table = await getArrow(`${path}?level=${level}`);
  const meta = table.schema.metadata;
  const [left, bottom, right, top] = meta.get("bounds")!.split(",").map(Number);
  const bounds = { left, bottom, right, top };
  const tolerances = meta.get("tolerances")!.split(",").map(Number);
  const boxes = parsed(meta.get("insets")!) as { bounds: number[]; at: Corner; own: boolean; says: string }[];
  const zones = meta.get("kind") === "zones";
  const insets = await Promise.all(
    boxes.map(async ({ bounds: [l, b, r, t], at, own, says }, i) => ({
      bounds: { left: l, bottom: b, right: r, top: t },
      at,
      own,
      says,
      rings: zones ? rings(await getArrow(`${path}?level=${Math.min(level + 1, 4)}&inset=${i}`)) : null,
    })),
  );
  if (!zones) {
    return {
      kind: "cells",
      bounds,
      tolerances,
      insets,
      column: numbers(table, "column"),
      row: numbers(table, "row"),
      area: numbers(table, "area"),
      lattice: latticeOf(meta.get("shape")!, meta.get("frame")!),
      inset: table.getChild("inset") ? numbers(table, "inset") : null,
    };
  }
  return { kind: "zones", bounds, tolerances, insets, rings: rings(table) };
}

/** The events as points of the drawing's plane. */
export interface Points {
  x: Float32Array;
  y: Float32Array;
  area: Int32Array;
  colour: Uint32Array;
  way: Uint8Array;
  verdict: Uint8Array;
  /** How many there are; fewer are drawn where there are too many. */
  of: number;
}

export async function fetchPoints(results: string): Promise<Points> {
  const table = await getArrow(`${results}/points`);
  return {
    x: numbers(table, "x"),
    y: numbers(table, "y"),
    area: numbers(table, "area"),
    colour: numbers(table, "colour"),
    way: numbers(table, "way"),
    verdict: numbers(table, "verdict"),
    of: Number(table.schema.metadata.get("of")),
  };
}

/** A grid tried out: its figures, and its cells where they can be drawn over the map. */
export interface GridTrial {
  cells: number;
  emptyShare: number;
  events: number;
  eventsPerOccupied: number;
  widthM: number;
  warnings: string[];
  drawn: { column: Int32Array; row: Int32Array; lattice: Lattice } | null;
}

export async function fetchTrial(results: string, place: Place): Promise<GridTrial> {
  const table = await getArrow(`${results}/grid-trial`, { place });
  const meta = table.schema.metadata;
  const figure = (name: string) => Number(meta.get(name));
  return {
    cells: figure("cells"),
    emptyShare: figure("empty_share"),
    events: figure("events"),
    eventsPerOccupied: figure("events_per_occupied"),
    widthM: figure("width_m"),
    warnings: meta.get("warnings")!.split("\n").filter(Boolean),
    drawn:
      meta.get("drawn") === "yes"
        ? {
            column: numbers(table, "column"),
            row: numbers(table, "row"),
            lattice: latticeOf(meta.get("shape")!, meta.get("frame")!),
          }
        : null,
  };
}

/** Lines of latitude and longitude, each owned by its position in the texts: its degrees as they are written. */
export interface Degrees {
  /** Of the shapes that they lie under. */
  key: string;
  rings: Rings;
  texts: string[];
  /** 1 for one from south to north. */
  meridian: number[];
}

/** Those that cross a part of the plane. */
export async function fetchDegrees(results: string, key: string, seen: Box): Promise<Degrees> {
  const { left, bottom, right, top } = seen;
  const table = await getArrow(
    `${results}/degrees/${key}?left=${left}&bottom=${bottom}&right=${right}&top=${top}`,
  );
  const meta = table.schema.metadata;
  return {
    key,
    rings: rings(table),
    texts: parsed(meta.get("texts")!) as string[],
    meridian: parsed(meta.get("meridian")!) as number[],
  };
}

/** The outlines of the plan's upper level. */
export async function fetchOver(results: string, key: string): Promise<Rings> {
  return rings(await getArrow(`${results}/over/${key}`));
}

export async function fetchLines(results: string, name: string, key: string): Promise<Lines> {
  const table = await getArrow(`${results}/reference/${encodeURIComponent(name)}/${key}`);
  return {
    name,
    rings: rings(table),
    kind: strings(table, "kind"),
    closed: numbers(table, "closed"),
    columns: parsed(table.schema.metadata.get("columns")!) as never,
  };
}

export async function fetchReferenceNames(
  results: string,
  name: string,
  key: string,
  column: string,
): Promise<Named> {
  const path = `${results}/reference/${encodeURIComponent(name)}/${key}/names`;
  const table = await getArrow(`${path}?column=${encodeURIComponent(column)}`);
  return { x: numbers(table, "x"), y: numbers(table, "y"), text: strings(table, "text") };
}

export async function fetchAnchors(results: string, key: string): Promise<Anchors> {
  const table = await getArrow(`${results}/anchors/${key}`);
  return {
    x: numbers(table, "x"),
    y: numbers(table, "y"),
    radius: numbers(table, "radius"),
    inset: numbers(table, "inset"),
    rooms: ROOM_HEIGHTS.map((_, k) => numbers<Float32Array>(table, `room ${k}`)),
  };
}

/** Of each label set, the text of each area. */
export async function fetchLabelTexts(results: string, key: string): Promise<string[][]> {
  const table = await getArrow(`${results}/label-texts/${key}`);
  return table.schema.names.map((name) => strings(table, String(name)));
}

export async function fetchDots(results: string, key: string, by: string | null): Promise<EventDots> {
  const table = await getArrow(`${results}/dots/${key}${by ? `?column=${encodeURIComponent(by)}` : ""}`);
  return {
    x: numbers(table, "x"),
    y: numbers(table, "y"),
    kind: numbers(table, "kind"),
    kinds: parsed(table.schema.metadata.get("kinds")!) as never,
    of: Number(table.schema.metadata.get("of")),
  };
}

function numbers<T>(table: Table, name: string): T {
  return table.getChild(name)!.toArray() as T;
}

function words(table: Table): string[] {
  return parsed(table.schema.metadata.get("words")!) as never;
}

function strings(table: Table, name: string): string[] {
  return [...table.getChild(name)!] as string[];
}

function rings(table: Table): Rings {
  const data = table.getChild("xy")!.data[0];
  if (!data) return { xy: new Float32Array(0), start: new Int32Array(1), owner: new Int32Array(0) };
  return { xy: data.children[0].values, start: data.valueOffsets.slice(), owner: numbers(table, "owner") };
}
