/** The view: which part of the plane is on screen. Metres east and north in, pixels right and down out. */

export interface View {
  /** Pixels a metre. */
  scale: number;
  /** The plane's point at the canvas's top left corner, in metres. */
  left: number;
  top: number;
}

export interface Box {
  left: number;
  bottom: number;
  right: number;
  top: number;
}

/** The view that shows all of a box within the free part of a canvas. */
export function fitted(
  box: Box,
  width: number,
  height: number,
  free = { left: 0, top: 0, right: 0, bottom: 0 },
  margin = 18,
): View {
  const wide = Math.max(width - free.left - free.right - 2 * margin, 40);
  const tall = Math.max(height - free.top - free.bottom - 2 * margin, 40);
  const scale = Math.min(wide / (box.right - box.left), tall / (box.top - box.bottom));
  const spareX = (wide / scale - (box.right - box.left)) / 2;
  const spareY = (tall / scale - (box.top - box.bottom)) / 2;
  return {
    scale,
    left: box.left - spareX - (margin + free.left) / scale,
    top: box.top + spareY + (margin + free.top) / scale,
  };
}

export function panned(view: View, dx: number, dy: number): View {
  return { ...view, left: view.left - dx / view.scale, top: view.top + dy / view.scale };
}

/** Moved as little as brings a point of the plane into the free part of a canvas, `margin` pixels from its edges. */
export function inSight(
  view: View,
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
  [x, y]: readonly [number, number],
  margin = 48,
): View {
  const along = (at: number, from: number, to: number) =>
    to - from < 2 * margin ? 0 : Math.min(Math.max(at, from + margin), to - margin) - at;
  const right = along((x - view.left) * view.scale, free.left, size.width - free.right);
  const down = along((view.top - y) * view.scale, free.top, size.height - free.bottom);
  return panned(view, right, down);
}

/** With what was in the middle of the canvas in the middle of its free part, at the same scale. */
export function centredIn(view: View, free: { left: number; right: number }): View {
  return panned(view, (free.left - free.right) / 2, 0);
}

/** With a box in the middle of the free part of a canvas, from left to right, at the same scale. */
export function centredOn(
  view: View,
  box: Box,
  size: { width: number },
  free: { left: number; right: number },
): View {
  const at = ((box.left + box.right) / 2 - view.left) * view.scale;
  return panned(view, (free.left + size.width - free.right) / 2 - at, 0);
}

/** Of a canvas of another size, with what was in the middle still there. */
export function resized(
  view: View,
  before: { width: number; height: number },
  after: { width: number; height: number },
): View {
  return panned(view, (after.width - before.width) / 2, (after.height - before.height) / 2);
}

/** How much of a box is seen in the free part of a canvas, from 0 to 1. */
export function seenOf(
  box: Box,
  view: View,
  size: { width: number; height: number },
  free: { left: number; top: number; right: number; bottom: number },
): number {
  const shared = (a: number, b: number, from: number, to: number) =>
    Math.max(0, Math.min(b, to) - Math.max(a, from)) / Math.max(b - a, 1e-9);
  const [left, right] = [box.left, box.right].map((x) => (x - view.left) * view.scale);
  const [top, bottom] = [box.top, box.bottom].map((y) => (view.top - y) * view.scale);
  return (
    shared(left, right, free.left, size.width - free.right) *
    shared(top, bottom, free.top, size.height - free.bottom)
  );
}

/** Zoomed by a factor about a pixel, which stays where it is. */
export function zoomed(view: View, factor: number, x: number, y: number, least: number, most: number): View {
  const scale = Math.min(Math.max(view.scale * factor, least), most);
  return {
    scale,
    left: view.left + x / view.scale - x / scale,
    top: view.top - y / view.scale + y / scale,
  };
}

/** A round length for the scale bar: at most so many pixels. */
export function scaleBar(scale: number, most: number): { metres: number; pixels: number; text: string } {
  const limit = most / scale;
  const power = 10 ** Math.floor(Math.log10(limit));
  const metres = [5, 2, 1].map((n) => n * power).find((n) => n <= limit) ?? power;
  const text =
    metres >= 1000 ? `${(metres / 1000).toLocaleString("en")} km` : `${metres.toLocaleString("en")} m`;
  return { metres, pixels: metres * scale, text };
}

/** The coarsest level whose lines lie within a third of a screen's pixel of the true ones; else the finest. */
export function levelFor(scale: number, ratio: number, tolerances: readonly number[]): number {
  const found = tolerances.findIndex((t) => t * scale * ratio <= 1 / 3);
  return found < 0 ? tolerances.length - 1 : found;
}
