/** What Place's sheet does to a plan. Knows no React. */
import type { Source } from "../api/client";
import { eventsOf, mappedEvents, mappedEventsName, mappedMeasure } from "./mapped";
import { addMeasure } from "./measures";
import { perGround } from "./sums";
import type {
  AreasPlan,
  Events,
  Grid,
  Outline,
  Plan,
  RecordedWhere,
  WorkingProjection,
  Zones,
} from "./types";

export type Corners = [number, number][];

/** The choices of the shape, as one list. */
export const SHAPES = [
  ["hexagon corner", "hexagons, a corner on top"],
  ["hexagon side", "hexagons, a side on top"],
  ["square", "squares"],
  ["rectangle", "rectangles"],
] as const;

export const UNITS = ["m", "km", "ft", "mi"] as const;
const METRES: Record<Grid["unit"], number> = { m: 1, km: 1000, ft: 0.3048, mi: 1609.344 };

export const FRESH: Grid = {
  kind: "grid",
  shape: "hexagon",
  top: "corner",
  size: 1000,
  measured: "width",
  unit: "m",
  height: null,
  cover: null,
  keep: "touching",
  cut: true,
  least_inside: 0,
  thin: "mark",
  origin: [0, 0],
  turn: 0,
};

/** The plan's grid, or a first one over its zones, of cells as wide as is proposed. */
export function gridOf(areas: AreasPlan, first: Pick<Grid, "size" | "unit"> = FRESH): Grid {
  if (areas.kind === "grid") return areas;
  return { ...FRESH, size: first.size, unit: first.unit, cover: ofSource(areas.source) };
}

export function shapeOf(grid: Grid): string {
  return grid.shape === "hexagon" ? `hexagon ${grid.top}` : grid.shape;
}

/** The grid with another shape; a rectangle begins as a square, and has no other size than its width. */
export function shaped(grid: Grid, shape: string): Grid {
  const [kind, top] = shape.split(" ") as [Grid["shape"], Grid["top"] | undefined];
  const rectangle = kind === "rectangle";
  return {
    ...grid,
    shape: kind,
    top: top ?? "corner",
    height: rectangle ? (grid.height ?? grid.size) : null,
    measured: rectangle ? "width" : grid.measured,
  };
}

/** "1,200 m across", to tell grids apart that are compared. */
export function sizeText(grid: Grid): string {
  const size = Number(grid.size).toLocaleString("en");
  if (grid.shape === "rectangle")
    return `${size} by ${Number(grid.height).toLocaleString("en")} ${grid.unit} rectangles`;
  const shape = `${grid.shape}s`;
  if (grid.measured === "area") return `${shape} of ${size} ${grid.unit}²`;
  if (grid.measured === "side") return `${shape} with sides of ${size} ${grid.unit}`;
  return `${shape} ${size} ${grid.unit} ${grid.shape === "hexagon" ? "across" : "wide"}`;
}

/** A number as it is typed: null where it is none above zero. */
export function aboveZero(text: string): number | null {
  const n = Number(text.trim().replace(",", "."));
  return text.trim() !== "" && Number.isFinite(n) && n > 0 ? n : null;
}

/** The next smaller or larger round size, for stepping. */
export function stepped(size: number, up: boolean): number {
  const power = 10 ** Math.floor(Math.log10(size) + 1e-9);
  const steps = [1, 1.5, 2, 3, 4, 5, 6, 8, 10, 15].map((n) => Number((n * power).toPrecision(3)));
  const lower = [...steps.map((s) => s / 10), ...steps];
  return up
    ? (steps.find((s) => s > size * 1.0001) ?? size * 2)
    : (lower.findLast((s) => s < size * 0.9999) ?? size / 2);
}

/** The same size in another unit, to three figures. */
export function converted(grid: Grid, unit: Grid["unit"]): Grid {
  const by = METRES[grid.unit] / METRES[unit];
  const change = (n: number, factor: number) => Number((n * factor).toPrecision(3));
  return {
    ...grid,
    unit,
    size: change(grid.size, grid.measured === "area" ? by * by : by),
    height: grid.height === null ? null : change(grid.height, by),
  };
}

/** A named working projection, or the one that is fitted when the plan is saved. */
export const projectionOf = (system: string | null): WorkingProjection => ({
  system,
  method: "azimuthal",
  centre: null,
  parallels: null,
});

export const ofSource = (source: string): Outline => ({ corners: null, source });
export const ofCorners = (corners: Corners): Outline => ({ corners, source: null });

/** Other areas: a roll-up, the outlines over the map, and what is recorded in listed zones belong to the zones before.
 * So does a rate per resident: the events per km² are mapped in its place, and it is there still for who comes back. */
export function withAreas(plan: Plan, areas: AreasPlan): void {
  const before = plan.place.areas;
  const other =
    areas.kind !== before.kind ||
    (areas.kind === "zones" && before.kind === "zones" && areas.source !== before.source);
  plan.place.areas = areas;
  if (!other) return;
  // A projection that nobody chose is fitted anew.
  if (!plan.place.projection.system) plan.place.projection = projectionOf(null);
  const measure = mappedMeasure(plan);
  if (measure.kind === "quotient" && measure.denominator?.kind === "table") {
    const there = Object.entries(plan.measure).find(
      ([, m]) =>
        m.kind === "quotient" && m.denominator?.kind === "ground" && eventsOf(m) === eventsOf(measure),
    );
    const name = mappedEventsName(plan);
    if (there) plan.show.mapped = there[0];
    else addMeasure(plan, `${name} per km²`, perGround(name, measure.time !== "none"));
  }
  plan.place.exclude = { where: [], areas: [], inside: [] };
  for (const events of Object.values(plan.gather.events)) recordedAmong(events, before, areas);
  plan.place.carry = [];
  plan.place.stated = { ...plan.place.stated, accepted: {} };
  plan.show.over = null;
}

/** The zones that events are looked for in, or null. */
function sourceOf(areas: AreasPlan): string | null {
  return areas.kind === "zones" ? areas.source : (areas.cover?.source ?? null);
}

/** Windows that hold in zones by what stands in their columns: in a grid over the same zones they still do, by the very
 * column; among other zones they hold everywhere. */
function recordedAmong(events: Events, before: AreasPlan, areas: AreasPlan): void {
  const same = sourceOf(before) === sourceOf(areas);
  for (const window of events.recorded) {
    const { where } = window;
    if (where === null || where.kind === "outline") continue;
    if (!same) window.where = null;
    else if (where.kind === "list" && before.kind === "zones" && areas.kind === "grid") {
      const column = where.area === "name" ? before.name : before.identifier;
      if (where.area === null || where.area === "identifier" || where.area === "name")
        window.where = column ? { ...where, area: column } : null;
    }
  }
  events.recorded = events.recorded.filter((w) => w.first_day !== null || w.where !== null);
}

/** Say where a recorded window holds, or all of them (null): everywhere, or as `where` says. Events without windows get
 * one without days. */
export function recordedIn(events: Events, at: number | null, where: RecordedWhere | null): void {
  if (!events.recorded.length && where)
    events.recorded.push({ name: null, first_day: null, last_day: null, where });
  else
    events.recorded.forEach((window, i) => {
      if (at === null || at === i) window.where = where;
    });
  events.recorded = events.recorded.filter((w) => w.first_day !== null || w.where !== null);
}

export function zonesOf(source: Source): Zones {
  const { identifier = null, name = null } = source.naming ?? {};
  return { kind: "zones", source: source.name, identifier, name, crs: null, roll_up: null, overlaps: "each" };
}

/** Leave an area out, or take it in again. */
export function leftOut(plan: Plan, identifier: string, out: boolean): void {
  const others = plan.place.exclude.areas.filter((a) => a !== identifier);
  plan.place.exclude.areas = out ? [...others, identifier] : others;
}

/** Put an outline to its use in the plan; `sized` is the grid that is being sized, and `window` the recorded window that
 * the outline is for, if there is one. */
export function withOutline(
  plan: Plan,
  use: "left out" | "recorded" | "cover" | "inset",
  corners: Corners,
  more: { sized?: Grid; window?: number | null } = {},
): void {
  switch (use) {
    case "left out":
      plan.place.exclude.inside.push(ofCorners(corners));
      break;
    case "inset":
      plan.show.insets.push({
        corners,
        at: "bottom right",
        own_projection: false,
        projection: projectionOf(null),
      });
      break;
    case "recorded":
      recordedIn(mappedEvents(plan), more.window ?? null, { kind: "outline", outline: ofCorners(corners) });
      break;
    case "cover":
      withAreas(plan, { ...(more.sized ?? gridOf(plan.place.areas)), cover: ofCorners(corners) });
      break;
  }
}

/** Where one grid is compared with others: a colour for each. */
export const COMPARED = ["#A8322D", "#1F4E79", "#5B3A8C", "#7A5A00"];
