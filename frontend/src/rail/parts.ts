/** What the rail's parts have in common. */
import { useMemo } from "react";
import type { Areas } from "../api/bulk";
import type { View } from "../api/client";
import { ZERO_CLASS } from "../outcome/classes";
import { placesIn } from "../outcome/ruling";
import { termOf } from "../outcome/terms";
import { useParts } from "../state/store";
import { unit } from "../unit";
import { axesFor, fittingAxis } from "./axes";

export const DOTS_WIDTH = 80;
export const ROW = 19 * unit;
/** Swatch, range, areas, what they are divided by. */
export const COLUMNS = "14px minmax(0, 1fr) 2.3rem 4.5rem";
/** The same without the last, where ranges are long. */
export const COLUMNS_OF_LONG = "14px minmax(0, 1fr) 2.8rem";
export const LISTED = "14px minmax(0, 1fr) 2.6rem 4.4rem";

/** The areas whose value has a place on the axis, and their values, ascending. */
export function useOnAxis(areas: Areas, apart: boolean) {
  return useMemo(() => {
    const numbered: number[] = [];
    for (let i = 0; i < areas.value.length; i++) {
      const v = areas.value[i];
      if (!Number.isNaN(v) && !(apart && v === 0)) numbered.push(i);
    }
    const order = numbered.sort((a, b) => areas.value[a] - areas.value[b]);
    let sum = 0;
    return {
      order,
      values: order.map((i) => areas.value[i]),
      /** Running sums of what they are divided by. */
      reached: Float64Array.from(order, (i) => {
        sum += areas.denominator[i] || 0;
        return sum;
      }),
    };
  }, [areas, apart]);
}

/** What would move an area: one event more or less, or where values are no counts, the last figure that is written. */
export function nearStep(view: View): "event" | number {
  if (termOf(view, "counted")?.noun === "events") return "event";
  return 0.5 * 10 ** -placesIn(view.bands.map((b) => b.range)) * view.scale;
}

/** All entries that can be shown alone: the classes, and zero. */
export function shownClasses(view: View): number[] {
  return [...view.bands.keys(), ZERO_CLASS];
}

export function useAxis(values: readonly number[]) {
  const { axis: chosen } = useParts("axis");
  const axes = axesFor(values);
  return { axes, axis: chosen && axes.includes(chosen) ? chosen : fittingAxis(values) };
}
