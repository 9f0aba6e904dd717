/** Where elements of a page stand once they are moved. Knows no React. */

import type { FigurePlan } from "../plan/types";
import { record } from "../records";
import type { Preview } from "../state/figures";

type Place = Preview["places"][number];
type At = NonNullable<FigurePlan["map_at"]>;

export function movable(name: string): boolean {
  return ["title", "subtitle", "notes", "legend", "map"].includes(name) || name.startsWith("box ");
}

/** The page with one element elsewhere, which stays on it. */
export function movedTo(
  document: FigurePlan,
  page: { width: number; height: number },
  place: Place,
  left: number,
  top: number,
): FigurePlan {
  const within = (at: number, size: number, most: number) =>
    Math.round(Math.min(Math.max(at, 0), Math.max(most - size, 0)) * 10) / 10;
  const spot = { left: within(left, place.width, page.width), top: within(top, place.height, page.height) };
  const sized: At = { ...spot, width: place.width, height: place.height };
  const free: At = { ...spot, width: null, height: null };
  switch (place.name) {
    case "title":
    case "subtitle":
    case "notes":
      return { ...document, [place.name]: { ...document[place.name], at: { ...free, width: place.width } } };
    case "legend":
      return { ...document, legend: { ...document.legend, at: free } };
    case "map":
      return { ...document, map_at: sized };
    default: {
      const number = Number(place.name.slice("box ".length)) - 1;
      return Number.isInteger(number) ? withBox(document, number, { at: sized }) : document;
    }
  }
}

export type BoxLook = FigurePlan["boxes"][string];

export function boxOf(document: FigurePlan, number: number): BoxLook {
  return document.boxes[number] ?? { at: null, times: null, neatline: true, locator: false };
}

/** The page with one of its boxes otherwise. */
export function withBox(document: FigurePlan, number: number, change: Partial<BoxLook>): FigurePlan {
  return { ...document, boxes: { ...document.boxes, [number]: { ...boxOf(document, number), ...change } } };
}

const LEAST = 15;

export function resizable(name: string): boolean {
  return name === "map" || name.startsWith("box ");
}

/** The page with the map or a box as large as that, as far as the page goes. */
export function sizedTo(
  document: FigurePlan,
  page: { width: number; height: number },
  place: Place,
  width: number,
  height: number,
): FigurePlan {
  const within = (size: number, from: number, most: number) =>
    Math.round(Math.min(Math.max(size, LEAST), most - from) * 10) / 10;
  const sized = {
    ...place,
    width: within(width, place.left, page.width),
    height: within(height, place.top, page.height),
  };
  return movedTo(document, page, sized, place.left, place.top);
}

/** What can be typed on the page. */
export function isText(name: string): name is "title" | "subtitle" | "notes" {
  return name === "title" || name === "subtitle" || name === "notes";
}

/** The page with everything where it stands by itself. */
export function unmoved(document: FigurePlan): FigurePlan {
  const free = <T extends { at: At | null }>(element: T): T => ({ ...element, at: null });
  return {
    ...document,
    title: free(document.title),
    subtitle: free(document.subtitle),
    notes: free(document.notes),
    legend: free(document.legend),
    map_at: null,
    boxes: record(Object.entries(document.boxes).map(([at, look]) => [at, free(look)] as const)),
  };
}

export function isMoved(document: FigurePlan): boolean {
  const { title, subtitle, notes, legend, map_at, boxes } = document;
  const elements = [title, subtitle, notes, legend, ...Object.values(boxes)];
  return map_at !== null || elements.some((e) => e.at !== null);
}
