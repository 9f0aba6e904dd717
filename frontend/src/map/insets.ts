/** Where the boxes of insets stand on the map, and which part of their plane each shows. Knows no DOM. */
import type { Corner, Inset } from "../api/bulk";
import { type Box, fitted, type View } from "../geometry/view";

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
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
): InsetBox[] {
  const used = new Map<Corner, number>();
  return insets.map(({ bounds, at: corner }) => {
    const { width, height } = shapeOf(bounds, Math.min(LARGEST, SHARE * Math.min(size.width, size.height)));
    const before = used.get(corner) ?? 0;
    used.set(corner, before + height + GAP);
    const [vertical, horizontal] = corner.split(" ");
    const left = horizontal === "left" ? free.left + GAP : size.width - free.right - GAP - width;
    const top =
      vertical === "top" ? free.top + GAP + before : size.height - free.bottom - GAP - height - before;
    return { left, top, width, height, view: within(bounds, width, height) };
  });
}

/** The view that shows all of some bounds beside the boxes rather than under them, where that is the larger one. */
export function fittedBeside(
  bounds: Box,
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
  boxes: readonly InsetBox[],
  margin?: number,
): View {
  const reach = (side: (b: InsetBox) => number) => Math.max(0, ...boxes.map(side)) + GAP;
  const right = reach((b) => (b.left + b.width / 2 > size.width / 2 ? size.width - b.left : 0));
  const left = reach((b) => (b.left + b.width / 2 <= size.width / 2 ? b.left + b.width : 0));
  const bottom = reach((b) => (b.top + b.height / 2 > size.height / 2 ? size.height - b.top : 0));
  const top = reach((b) => (b.top + b.height / 2 <= size.height / 2 ? b.top + b.height : 0));
  const least = (a: typeof free, b: Partial<typeof free>) => ({
    left: Math.max(a.left, b.left ?? 0),
    right: Math.max(a.right, b.right ?? 0),
    top: Math.max(a.top, b.top ?? 0),
    bottom: Math.max(a.bottom, b.bottom ?? 0),
  });
  const tried = [{}, { right }, { left }, { left, right }, { bottom }, { top }, { top, bottom }].map(
    (margins) => fitted(bounds, size.width, size.height, least(free, margins), margin),
  );
  const covered = (view: View) =>
    boxes.some(
      (b) =>
        (bounds.left - view.left) * view.scale < b.left + b.width &&
        (bounds.right - view.left) * view.scale > b.left &&
        (view.top - bounds.top) * view.scale < b.top + b.height &&
        (view.top - bounds.bottom) * view.scale > b.top,
    );
  const clear = tried.filter((view) => !covered(view));
  return clear.length ? clear.reduce((a, b) => (b.scale > a.scale ? b : a)) : tried[0];
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
