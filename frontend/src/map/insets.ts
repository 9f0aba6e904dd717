/** Where the boxes of insets stand on the map, and which part of their plane each shows. Knows no DOM. */
import type { Inset } from "../api/bulk";
import { type Box, fitted, type View } from "../geometry/view";

export type Corner = "bottom right" | "bottom left" | "top right" | "top left";

export interface InsetBox {
  left: number;
  top: number;
  width: number;
  height: number;
  view: View;
}

const GAP = 12;
const LARGEST = 230;
const SHARE = 0.32;
const ROOM = 8;

/** Boxes in their corners, those of one corner above one another; sized by what they show. All in pixels. */
export function boxesOf(
  insets: readonly Inset[],
  corners: readonly Corner[],
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
): InsetBox[] {
  const used: Record<string, number> = {};
  return insets.map(({ bounds }, i) => {
    const corner = corners[i] ?? "bottom right";
    const { width, height } = shapeOf(bounds, Math.min(LARGEST, SHARE * Math.min(size.width, size.height)));
    const before = used[corner] ?? 0;
    used[corner] = before + height + GAP;
    const [vertical, horizontal] = corner.split(" ");
    const left = horizontal === "left" ? free.left + GAP : size.width - free.right - GAP - width;
    const top =
      vertical === "top" ? free.top + GAP + before : size.height - free.bottom - GAP - height - before;
    return { left, top, width, height, view: within(bounds, width, height) };
  });
}

function shapeOf(bounds: Box, most: number): { width: number; height: number } {
  const [wide, tall] = [bounds.right - bounds.left, bounds.top - bounds.bottom];
  const scale = most / Math.max(wide, tall, 1e-9);
  return { width: Math.max(Math.round(wide * scale), 60), height: Math.max(Math.round(tall * scale), 60) };
}

/** The view that shows all of some bounds in a box, with a little room around. */
function within(bounds: Box, width: number, height: number): View {
  const view = fitted(bounds, width + 36 - 2 * ROOM, height + 36 - 2 * ROOM);
  // `fitted` leaves its own margin; the box has a smaller one.
  return { ...view, left: view.left + (18 - ROOM) / view.scale, top: view.top - (18 - ROOM) / view.scale };
}
