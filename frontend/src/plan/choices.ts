/** What the user decides of a file before it is brought in: first guessed, then changed. Knows no React. */

import type { Look, Schemas, Source } from "../api/client";
import { record } from "../records";
import type { Coordinates, Events, RecordedWhere } from "./types";

export interface Time {
  column: string;
  /** null while day and month cannot be told apart. */
  order: NonNullable<Events["time"]>["order"] | null;
  clock: string | null;
  until: string | null;
  take: "from" | "middle" | "until";
  zone: string | null;
  /** The column with the date of birth, from which ages follow. */
  born: { column: string; order: Time["order"] } | null;
}

export interface Window {
  name: string;
  first_day: string;
  last_day: string;
  /** Where it holds, which is said in Place. */
  where?: RecordedWhere | null;
}

/** Coordinates of which the system may not be known yet. */
type Draft<T> = T extends { crs: string } ? Omit<T, "crs"> & { crs: string | null } : T;
export type DraftCoordinates = Draft<Coordinates>;

export interface Choices {
  name: string;
  role: string;
  /** As in the plan; `crs` is null while nobody knows it. */
  coordinates: DraftCoordinates | null;
  /** The column with the record's own area, by code or name. */
  stated: string | null;
  identifier: string | null;
  /** For counts: the column with the number of events. */
  number: string | null;
  /** Its decimal sign, where the column does not tell. */
  numberDecimal: Events["number_decimal"];
  time: Time | null;
  /** Columns that are left out. */
  left: readonly string[];
  recorded: readonly Window[];
  /** Readable names of columns; the file's own stay beside them. */
  labels: Readonly<Record<string, string>>;
  facts: Readonly<Record<string, string>>;
  replaces: boolean;
  /** A source of the same columns, as long as nobody has said whether this one takes its place. */
  alike: string | null;
}

/** What of a source is known while another file is looked at. */
export type KnownSource = Pick<Source, "name" | "role" | "columns">;

export const ROLES: readonly (readonly [string, string])[] = [
  ["events", "events: one row, one event"],
  ["counts", "counts: one row, several events"],
  ["zones", "zones: areas to count in"],
  ["table", "table: figures to divide by"],
  ["look-up", "look-up: places and their coordinates"],
  ["reference", "reference: coast, water, roads"],
];

export type Order = NonNullable<Time["order"]>;

export const ORDERS: readonly (readonly [Order, string])[] = [
  ["year-first", "year, month, day"],
  ["day-first", "day, month, year"],
  ["month-first", "month, day, year"],
  ["compact", "yyyymmdd without anything between"],
  ["day-name", "day, name of the month, year"],
  ["month-name", "name of the month, day, year"],
  ["serial", "days as a spreadsheet counts them"],
  ["seconds", "seconds since 1970"],
  ["period", "whole years, months, quarters or weeks"],
];

export const FACTS: readonly (readonly [string, string])[] = [
  ["publisher", "Publisher"],
  ["obtained", "Date obtained"],
  ["case_definition", "What counts as a case"],
  ["licence", "Licence"],
  ["reference_year", "Reference year"],
];

/** Which roles a file can have: shapes and rows are different things, points are both. */
export function rolesFor(look: Look): string[] {
  if (look.kind !== "vector") return ["events", "counts", "table", "look-up"];
  return ["events", "counts", "zones", "reference", "table"];
}

/** A name for the source: the file's without its ending, numbered where the study has one of that name. */
export function freeName(fileName: string, taken: readonly string[]): string {
  const bare = fileName.replace(/(\.(csv|txt|tsv))?\.[^.]{1,10}$/i, "").slice(0, 180) || fileName;
  let name = bare;
  for (let n = 2; taken.includes(name); n++) name = `${bare} ${n}`;
  return name;
}

export function choicesOf(look: Look, taken: readonly string[]): Choices {
  const guess = look.coordinates[0];
  const coordinates = guess ? ({ ...guess } as unknown as DraftCoordinates) : null;
  if (coordinates && coordinates.kind !== "none" && !coordinates.crs && look.systems.length)
    coordinates.crs = look.systems[0].code;
  const time = look.times[0];
  // Records without coordinates may still name their area.
  const named = !coordinates && look.stated.length > 0;
  return {
    name: freeName(look.file_name, taken),
    role: look.role,
    coordinates: named ? { kind: "none" } : coordinates,
    stated: coordinates ? null : (look.stated[0]?.column ?? null),
    identifier: look.identifier,
    number: look.columns.find((c) => c.kind === "number" && COUNT.test(c.name))?.name ?? null,
    numberDecimal: null,
    time: time
      ? {
          column: time.column,
          order: time.order as Time["order"],
          clock: time.clock,
          until: time.until,
          take: "from",
          zone: null,
          born: bornOf(look),
        }
      : null,
    left: [],
    recorded: [],
    labels: {},
    facts: {},
    replaces: false,
    alike: null,
  };
}

/** The source that has the very columns of a file: the same from another month, it may be. */
export function alikeOf(look: Look, known: readonly KnownSource[]): string | null {
  const own = look.columns.map((c) => c.name).sort();
  const same = (columns: readonly string[]) => JSON.stringify([...columns].sort()) === JSON.stringify(own);
  return known.find((s) => rolesFor(look).includes(s.role) && same(s.columns))?.name ?? null;
}

/** What a file was taken for beside others, as choices. */
export function takenChoices(look: Look, taken: Schemas["TakenView"]): Partial<Choices> {
  if (!rolesFor(look).includes(taken.role)) return {};
  return {
    role: taken.role,
    coordinates: taken.coordinates as unknown as DraftCoordinates | null,
    stated: taken.stated,
    number: taken.number,
  };
}

/** The column with the date of birth, if there is one that can be read. */
function bornOf(look: Look): Time["born"] {
  const found = look.times.find((t) => t.column === look.times[0]?.born);
  return found ? { column: found.column, order: found.order as Time["order"] } : null;
}

/** Are the rows events, one or several each, with a place? */
export function ofEvents(role: string): boolean {
  return role === "events" || role === "counts";
}

/** What must still be decided, in sentences; empty when the file can be brought in. */
export function undecided(look: Look, choices: Choices, hasZones: boolean): string[] {
  const open: string[] = [];
  if (choices.alike) open.push(`Say whether it takes the place of “${choices.alike}” or stands beside it.`);
  if (!choices.name.trim()) open.push("Give it a name.");
  if (choices.role === "counts" && !choices.number) open.push("Say which column has the number of events.");
  if (choices.role === "counts" && asksDecimal(look, choices) && !choices.numberDecimal)
    open.push("Say which sign stands before the decimals in the number of events.");
  if (!ofEvents(choices.role) && choices.role !== "table" && asksSystem(look))
    open.push("Say which coordinate system the file is in.");
  if (ofEvents(choices.role)) {
    if (!choices.coordinates) open.push("Say where the coordinates stand.");
    else if (choices.coordinates.kind === "none") {
      if (!choices.stated) open.push("Say which column has the area of each record.");
      if (!hasZones) open.push("Bring in the zones first: these records are placed by their codes or names.");
    } else if (!choices.coordinates.crs && choices.coordinates.kind !== "geometry")
      open.push("Say which coordinate system the coordinates are in.");
    else if (choices.coordinates.kind === "geometry" && !choices.coordinates.crs && !look.reading.crs)
      open.push("Say which coordinate system the file is in.");
    if (choices.time && !choices.time.order)
      open.push("Say whether the day or the month stands first: every date can be read both ways.");
    if (choices.time?.born && !choices.time.born.order)
      open.push("Say whether the day or the month stands first in the dates of birth.");
    if (others(look) > 0 && !look.reading.inside)
      open.push("Its features are not all points: agree to a point inside each.");
  }
  for (const w of choices.recorded)
    if (!w.first_day || !w.last_day || w.last_day < w.first_day)
      open.push("A recorded window needs a first and a last day.");
  return open;
}

/** Is this a file of shapes that does not say which coordinate system it is in? */
export function asksSystem(look: Look): boolean {
  return look.kind === "vector" && !look.reading.crs && !look.coordinates[0]?.crs;
}

/** How many features are no points. */
export function others(look: Look): number {
  return Object.entries(look.shapes).reduce((n, [k, v]) => (k === "point" || k === "none" ? n : n + v), 0);
}

/** The plan's choices for events, as the interface takes them. */
export function eventsOf(look: Look, choices: Choices) {
  const kept = look.columns.map((c) => c.name).filter((n) => !choices.left.includes(n));
  return {
    source: choices.name.trim(),
    coordinates: choices.coordinates,
    stated: choices.stated ? { column: choices.stated, stands_in: true } : null,
    identifier: choices.identifier,
    number: choices.role === "counts" ? choices.number : null,
    number_decimal: choices.role === "counts" ? choices.numberDecimal : null,
    time: choices.time,
    recorded: choices.recorded.map((w) => ({ ...w, name: w.name || null, where: w.where ?? null })),
    labels: filled(choices.labels),
    ...(choices.left.length ? { columns: kept } : {}),
  };
}

/** `again`: the file is that of the source itself, whose choices are made anew. */
export function importBody(upload: string, look: Look, choices: Choices, again: boolean) {
  const facts = filled(choices.facts);
  const plans = ofEvents(choices.role) && (again || !choices.replaces);
  return {
    upload_id: upload,
    name: choices.name.trim(),
    role: choices.role,
    reading: look.reading,
    facts: choices.role === "table" && look.totals.length ? { ...facts, totals: look.totals } : facts,
    events: plans ? eventsOf(look, choices) : null,
    replaces: choices.replaces,
  };
}

function filled(texts: Readonly<Record<string, string>>): Record<string, string> {
  return record(Object.entries(texts).filter(([, text]) => text.trim()));
}

/** What each column is used for, for the heads of the preview. */
export function usesOf(choices: Choices): Map<string, string> {
  const uses = new Map<string, string>();
  if (!ofEvents(choices.role)) return uses;
  const at = choices.coordinates;
  if (at?.kind === "columns") {
    uses.set(at.x, "east");
    uses.set(at.y, "north");
  } else if (at?.kind === "pair" || at?.kind === "point text") uses.set(at.column, "place");
  if (choices.stated) uses.set(choices.stated, "area");
  if (choices.time) {
    uses.set(choices.time.column, "time");
    if (choices.time.clock) uses.set(choices.time.clock, "time of day");
    if (choices.time.until) uses.set(choices.time.until, "until");
    if (choices.time.born) uses.set(choices.time.born.column, "born");
  }
  if (choices.role === "counts" && choices.number) uses.set(choices.number, "events");
  if (choices.identifier) uses.set(choices.identifier, "identifier");
  return uses;
}

/** Can the numbers of events be read with either decimal sign, and come to other numbers? */
export function asksDecimal(look: Look, choices: Choices): boolean {
  const column = look.columns.find((c) => c.name === choices.number);
  return column?.kind === "number" && column.decimal === null;
}

const COUNT = /^(counts?|cases|events|n|number|anzahl|fälle|nombre|casos|aantal)$/i;
const MEMBERS = [".shp", ".shx", ".dbf", ".prj", ".cpg"];

/** Files that belong together: a Shapefile's members of one name; every other file is one by itself. */
export function grouped<F extends { name: string }>(files: readonly F[]): F[][] {
  const stems = new Map<string, F[]>();
  const groups: F[][] = [];
  for (const file of files) {
    const ending = file.name.slice(file.name.lastIndexOf(".")).toLowerCase();
    const stem = file.name.slice(0, -4).toLowerCase();
    const members = MEMBERS.includes(ending) ? stems.get(stem) : undefined;
    if (members) members.push(file);
    else {
      const group = [file];
      groups.push(group);
      if (MEMBERS.includes(ending)) stems.set(stem, group);
    }
  }
  return groups;
}
