/** What the user is doing. Data from the server lives in the query cache, never here. */

import { create } from "zustand";
import { useShallow } from "zustand/shallow";
import type { Place } from "../plan/types";
import { record } from "../records";

/** How values lie along the rail. */
export type Axis = "linear" | "log" | "rank";
export type Stage = "gather" | "place" | "measure" | "class" | "show";
export type RowsTab = "areas" | "placed" | "events" | "outside" | "labels" | "set aside";
export type GatherTab = "records" | "files" | "filter" | "checks";
export type PlaceTab = "areas" | "counted" | "unplaced" | "checks";
/** Which events are drawn over the map: in the colour of their area, or those that want a look. */
export type DotsShown = "placed" | "outside" | "labels";
/** What an outline that is being drawn is for. */
export type OutlineUse = "filter" | "left out" | "recorded" | "cover" | "inset";
export const STAGES: readonly Stage[] = ["gather", "place", "measure", "class", "show"];

export interface Doing {
  sheet: Stage | null;
  hovered: number | null;
  selected: number | null;
  rows: RowsTab | null;
  /** The reason whose records are shown, or all. */
  reason: string | null;
  /** The rail's axis; null leaves it to the values. */
  axis: Axis | null;
  /** The breaks between classes while one is being moved, or kept; of which result; and the areas that change class. */
  drafted: { key: string; inner: readonly number[]; changing: readonly number[]; kept: boolean } | null;
  /** Classes that are not shown for the moment, and of which result. */
  unseen: { key: string; classes: readonly number[] } | null;
  /** Values are coloured as they are, for a look. */
  unclassed: boolean;
  /** The page of small maps is open. */
  comparing: boolean;
  /** The list of all studies is open. */
  keeping: boolean;
  /** The page of figures of before is open. */
  before: boolean;
  /** The page of figures is open. */
  figuring: boolean;
  /** How many labels found no room on the map. */
  unlabelled: number;
  help: boolean;
  /** An open sheet stands beside the map instead of hanging over it. */
  pinned: boolean;
  /** How finely the shapes are wanted: 0 is enough for all of the map on a screen. */
  level: number;
  /** The study that the user chose; null leaves it to the page. */
  study: string | null;
  gatherTab: GatherTab;
  /** The record whose place is being given by the user, named as the plan names it. */
  correcting: string | null;
  /** Where the user clicked for it: longitude and latitude. */
  corrected: readonly [number, number] | null;
  /** Corners of an outline being drawn, in the plane's metres. */
  outline: readonly (readonly [number, number])[] | null;
  outlineFor: OutlineUse;
  /** Which recorded window an outline is drawn for; null for all of them. */
  window: number | null;
  placeTab: PlaceTab;
  dots: DotsShown | null;
  /** The Place part of a plan with the grid that is being tried out, and those held to be compared with it. */
  tried: Place | null;
  held: readonly Place[];
  set: (change: Partial<Omit<Doing, "set">>) => void;
}

/** The study that the page's address names, so that a reload stays with it. */
function addressed(): string | null {
  return typeof window === "undefined" ? null : window.location.hash.slice(1) || null;
}

export const useDoing = create<Doing>((set) => ({
  sheet: null,
  hovered: null,
  selected: null,
  rows: null,
  reason: null,
  axis: null,
  drafted: null,
  unseen: null,
  unclassed: false,
  comparing: false,
  before: false,
  figuring: false,
  keeping: false,
  unlabelled: 0,
  help: false,
  pinned: false,
  level: 0,
  study: addressed(),
  gatherTab: "records",
  correcting: null,
  corrected: null,
  outline: null,
  outlineFor: "filter",
  window: null,
  placeTab: "areas",
  dots: null,
  tried: null,
  held: [],
  set,
}));

/** Some of it: the component is rendered anew when one of these changes, and for nothing else. */
export function useParts<K extends keyof Doing>(...names: K[]): Pick<Doing, K> {
  return useDoing(
    useShallow((doing) => record(names.map((n) => [n, doing[n]] as const)) as unknown as Pick<Doing, K>),
  );
}

if (typeof window !== "undefined")
  useDoing.subscribe(({ study }) => {
    if (study && window.location.hash !== `#${study}`) window.history.replaceState(null, "", `#${study}`);
  });
