/** The bulk of an outcome as typed arrays, straight out of the Arrow streams. */
import type { Table } from "apache-arrow";
import { type Lattice, latticeOf } from "../map/lattice";
import type { Rings } from "../map/scanline";
import type { Box } from "../map/view";
import { getArrow } from "./client";

export interface Areas {
  identifier: string[];
  name: string[];
  numerator: Int32Array;
  denominator: Float64Array;
  areaKm2: Float64Array;
  /** 1 for an area of which too little counts. */
  unreliable: Uint8Array;
  value: Float64Array;
  state: Uint8Array;
  areaClass: Int16Array;
  /** The ends of each value's 95 % interval. */
  low: Float64Array;
  high: Float64Array;
  /** How likely each area is to stay in its class, 0 to 1. */
  steadiness: Float64Array;
}

export type Shapes = {
  bounds: Box;
  /** How far in metres a line may lie from the true one, for each level of detail. */
  tolerances: number[];
} & (
  | { kind: "zones"; rings: Rings }
  | { kind: "cells"; column: Int32Array; row: Int32Array; area: Int32Array; lattice: Lattice }
);

export interface Lines {
  rings: Rings;
  kind: string[];
}

export async function fetchAreas(study: string): Promise<Areas> {
  const table = await getArrow(`/api/studies/${study}/values`);
  return {
    identifier: strings(table, "identifier"),
    name: strings(table, "name"),
    numerator: numbers(table, "numerator"),
    denominator: numbers(table, "denominator"),
    areaKm2: numbers(table, "area_km2"),
    unreliable: numbers(table, "unreliable"),
    value: numbers(table, "value"),
    state: numbers(table, "state"),
    areaClass: numbers(table, "class"),
    low: numbers(table, "low"),
    high: numbers(table, "high"),
    steadiness: numbers(table, "steadiness"),
  };
}

export async function fetchShapes(study: string, level: number): Promise<Shapes> {
  const table = await getArrow(`/api/studies/${study}/shapes?level=${level}`);
  const meta = table.schema.metadata;
  const [left, bottom, right, top] = meta.get("bounds")!.split(",").map(Number);
  const bounds = { left, bottom, right, top };
  const tolerances = meta.get("tolerances")!.split(",").map(Number);
  if (meta.get("kind") === "cells") {
    return {
      kind: "cells",
      bounds,
      tolerances,
      column: numbers(table, "column"),
      row: numbers(table, "row"),
      area: numbers(table, "area"),
      lattice: latticeOf(meta.get("shape")!, meta.get("frame")!),
    };
  }
  return { kind: "zones", bounds, tolerances, rings: rings(table) };
}

export async function fetchLines(study: string, name: string): Promise<Lines> {
  const table = await getArrow(`/api/studies/${study}/reference/${encodeURIComponent(name)}`);
  return { rings: rings(table), kind: strings(table, "kind") };
}

function numbers<T>(table: Table, name: string): T {
  return table.getChild(name)!.toArray() as T;
}

function strings(table: Table, name: string): string[] {
  return [...table.getChild(name)!] as string[];
}

function rings(table: Table): Rings {
  const data = table.getChild("xy")!.data[0];
  if (!data) return { xy: new Float32Array(0), start: new Int32Array(1), owner: new Int32Array(0) };
  return { xy: data.children[0].values, start: data.valueOffsets.slice(), owner: numbers(table, "owner") };
}
