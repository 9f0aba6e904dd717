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
const LEAST = 60;
const LEAST_GAP = 3;
const SMALLER = [1, 0.8, 0.65, 0.5, 0.4, 0.3, 0.2];
const MOST_OF_WIDTH = 0.45;

/** Boxes in their corners, those of one corner above one another; sized by what they show, and smaller where they would
 * cover one another or leave the map too little. All in pixels. */
export function boxesOf(
  insets: readonly Inset[],
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
): InsetBox[] {
  const tried = SMALLER.map((by) => laid(insets, size, free, by));
  return tried.find((boxes) => fits(boxes, size)) ?? tried[tried.length - 1];
}

/** The same in what sheet and card leave free, and so small that they cover nothing of the map as it is seen, where that
 * can be. */
export function boxesBeside(
  insets: readonly Inset[],
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
  bounds: Box,
  view: View,
): InsetBox[] {
  const room = size.width - free.left - free.right;
  const tried = SMALLER.map((by) => laid(insets, size, free, by)).filter((boxes) =>
    boxes.every((b) => b.width < room && b.top >= 0 && b.top + b.height <= size.height),
  );
  return (
    tried.find((boxes) => !coversAny(boxes, bounds, view)) ??
    tried[tried.length - 1] ??
    laid(insets, size, free, SMALLER[SMALLER.length - 1])
  );
}

/** Does a box cover a part of some bounds as they are seen? */
function coversAny(boxes: readonly InsetBox[], bounds: Box, view: View): boolean {
  return boxes.some(
    (b) =>
      (bounds.left - view.left) * view.scale < b.left + b.width &&
      (bounds.right - view.left) * view.scale > b.left &&
      (view.top - bounds.top) * view.scale < b.top + b.height &&
      (view.top - bounds.bottom) * view.scale > b.top,
  );
}

function laid(
  insets: readonly Inset[],
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
  by: number,
): InsetBox[] {
  const used = new Map<Corner, number>();
  const most = by * Math.min(LARGEST, SHARE * Math.min(size.width, size.height));
  const gap = Math.max(by * GAP, LEAST_GAP);
  return insets.map(({ bounds, at: corner }) => {
    const { width, height } = shapeOf(bounds, most, by * LEAST);
    const before = used.get(corner) ?? 0;
    used.set(corner, before + height + gap);
    const [vertical, horizontal] = corner.split(" ");
    const left = horizontal === "left" ? free.left + gap : size.width - free.right - gap - width;
    const top =
      vertical === "top" ? free.top + gap + before : size.height - free.bottom - gap - height - before;
    return { left, top, width, height, view: within(bounds, width, height) };
  });
}

/** Do they stand on the map, apart from each other, and leave a good part of its width? */
function fits(boxes: readonly InsetBox[], size: { width: number; height: number }): boolean {
  const apart = boxes.every((a, i) =>
    boxes
      .slice(i + 1)
      .every(
        (b) =>
          a.left + a.width <= b.left ||
          b.left + b.width <= a.left ||
          a.top + a.height <= b.top ||
          b.top + b.height <= a.top,
      ),
  );
  const onMap = boxes.every((b) => b.top >= 0 && b.top + b.height <= size.height && b.left >= 0);
  const onLeft = Math.max(0, ...boxes.filter((b) => b.left < size.width / 2).map((b) => b.left + b.width));
  const onRight = Math.max(
    0,
    ...boxes.filter((b) => b.left >= size.width / 2).map((b) => size.width - b.left),
  );
  return apart && onMap && onLeft + onRight <= MOST_OF_WIDTH * size.width;
}

/** The view that shows all of some bounds beside the boxes rather than under them, where that is the larger one. */
export function fittedBeside(
  bounds: Box,
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
  boxes: readonly InsetBox[],
  margin?: number,
): View {
  const gap = Math.min(GAP, size.width / 40);
  const reach = (side: (b: InsetBox) => number) => Math.max(0, ...boxes.map(side)) + gap;
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
  const covered = (view: View) => coversAny(boxes, bounds, view);
  const clear = tried.filter((view) => !covered(view));
  return clear.length ? clear.reduce((a, b) => (b.scale > a.scale ? b : a)) : tried[0];
}

function shapeOf(bounds: Box, most: number, least: number): { width: number; height: number } {
  const [wide, tall] = [bounds.right - bounds.left, bounds.top - bounds.bottom];
  const scale = most / Math.max(wide, tall, 1e-9);
  return {
    width: Math.max(Math.round(wide * scale), least),
    height: Math.max(Math.round(tall * scale), least),
  };
}

/** The view that shows all of some bounds in a box, with a little room around. */
function within(bounds: Box, width: number, height: number): View {
  const margin = Math.min(ROOM, width / 8, height / 8);
  const scale = Math.min(
    (width - 2 * margin) / Math.max(bounds.right - bounds.left, 1e-9),
    (height - 2 * margin) / Math.max(bounds.top - bounds.bottom, 1e-9),
  );
  return {
    scale,
    left: (bounds.left + bounds.right) / 2 - width / 2 / scale,
    top: (bounds.top + bounds.bottom) / 2 + height / 2 / scale,
  };
}
