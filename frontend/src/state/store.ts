/** What the user is doing. Data from the server lives in the query cache, never here. */
import { create } from "zustand";
import type { Axis } from "../rail/layout";

export type Stage = "gather" | "place" | "measure" | "class" | "show";
export type RowsTab = "areas" | "events" | "set aside";
export const STAGES: readonly Stage[] = ["gather", "place", "measure", "class", "show"];

interface Doing {
  sheet: Stage | null;
  hovered: number | null;
  selected: number | null;
  rows: RowsTab | null;
  /** The reason whose records are shown, or all. */
  reason: string | null;
  /** The rail's axis; null leaves it to the values. */
  axis: Axis | null;
  help: boolean;
  set: (change: Partial<Omit<Doing, "set">>) => void;
}

export const useDoing = create<Doing>((set) => ({
  sheet: null,
  hovered: null,
  selected: null,
  rows: null,
  reason: null,
  axis: null,
  help: false,
  set,
}));
