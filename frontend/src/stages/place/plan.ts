/** What Place's sheet does to a plan. Knows no React. */
import type { PlanDocument, Source } from "../../api/client";

export type Corners = [number, number][];

/** The choices of the shape, as one list. */
export const SHAPES = [
  ["hexagon corner", "hexagons, a corner on top"],
  ["hexagon side", "hexagons, a side on top"],
  ["square", "squares"],
  ["rectangle", "rectangles"],
] as const;

export const UNITS = ["m", "km", "ft", "mi"] as const;
const METRES: Record<string, number> = { m: 1, km: 1000, ft: 0.3048, mi: 1609.344 };

const FRESH: PlanDocument = {
  kind: "grid",
  shape: "hexagon",
  top: "corner",
  size: 1000,
  measured: "width",
  unit: "m",
  height: null,
  keep: "touching",
  cut: true,
  least_inside: 0,
  thin: "mark",
  origin: [0, 0],
  turn: 0,
};

/** The plan's grid, or a first one over its zones. */
export function gridOf(areas: PlanDocument): PlanDocument {
  return areas.kind === "grid" ? { ...FRESH, ...areas } : { ...FRESH, cover: { source: areas.source } };
}

export function shapeOf(grid: PlanDocument): string {
  return grid.shape === "hexagon" ? `hexagon ${grid.top}` : grid.shape;
}

/** The grid with another shape; a rectangle begins as a square, and has no other size than its width. */
export function shaped(grid: PlanDocument, shape: string): PlanDocument {
  const [kind, top] = shape.split(" ");
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
export function sizeText(grid: PlanDocument): string {
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
export function converted(grid: PlanDocument, unit: string): PlanDocument {
  const by = METRES[grid.unit] / METRES[unit];
  const change = (n: number, factor: number) => Number((n * factor).toPrecision(3));
  return {
    ...grid,
    unit,
    size: change(grid.size, grid.measured === "area" ? by * by : by),
    height: grid.height === null ? null : change(grid.height, by),
  };
}

/** Other areas: a rate per resident, a roll-up and the outlines over the map belong to the zones before. */
export function withAreas(plan: PlanDocument, areas: PlanDocument): void {
  const before = plan.place.areas;
  const other = areas.kind !== before.kind || areas.source !== before.source;
  plan.place.areas = areas;
  if (!other) return;
  if (plan.measure.kind === "rate") plan.measure = { kind: "density", time: plan.measure.time };
  plan.place.exclude = { where: [], areas: [], inside: [] };
  if (plan.place.recorded?.kind === "column") plan.place.recorded = null;
  plan.place.carry = [];
  plan.place.stated = { ...plan.place.stated, accepted: {} };
  plan.show.over = null;
}

export function zonesOf(source: Source): PlanDocument {
  const name = source.columns.includes("name") ? "name" : null;
  return { kind: "zones", source: source.name, identifier: source.columns[0] ?? null, name };
}

/** Leave an area out, or take it in again. */
export function leftOut(plan: PlanDocument, identifier: string, out: boolean): void {
  const others = plan.place.exclude.areas.filter((a: string) => a !== identifier);
  plan.place.exclude.areas = out ? [...others, identifier] : others;
}

/** Put an outline to its use in the plan; `sized` is the grid that is being sized, if there is one. */
export function withOutline(
  plan: PlanDocument,
  use: "left out" | "recorded" | "cover" | "inset",
  corners: Corners,
  sized?: PlanDocument,
): void {
  if (use === "left out") plan.place.exclude.inside.push({ corners });
  else if (use === "inset") plan.show.insets.push({ corners });
  else if (use === "recorded") plan.place.recorded = { kind: "outline", outline: { corners } };
  else withAreas(plan, { ...(sized ?? gridOf(plan.place.areas)), cover: { corners } });
}

/** Where one grid is compared with others: a colour for each. */
export const COMPARED = ["#A8322D", "#1F4E79", "#5B3A8C", "#7A5A00"];
