/** Lines of latitude and longitude: which part of the plane they are asked for, and where their figures stand. */
import type { Degrees } from "../api/bulk";
import type { Box, View } from "../geometry/view";

/** Left, top, right, bottom in pixels, downwards. */
export type Frame = readonly [number, number, number, number];

export interface EdgeFigure {
  line: number;
  /** Its middle. */
  x: number;
  y: number;
}

/** So much of what is seen beside it is asked for at once: the map can be moved before more is. */
const ABOUT = 0.5;

/** Pixels: of a figure's place, which stands at the very edge. */
const ROUNDING = 1e-6;

/** The part of the plane whose lines are asked for: what is seen and some around it, in steps, so that a small move asks
 * for nothing. */
export function askedFor(view: View, size: { width: number; height: number }): Box {
  const step = 2 ** Math.floor(Math.log2((ABOUT * Math.min(size.width, size.height)) / view.scale));
  const [right, bottom] = [view.left + size.width / view.scale, view.top - size.height / view.scale];
  const down = (at: number) => (Math.floor(at / step) - 0.5) * step;
  const up = (at: number) => (Math.ceil(at / step) + 0.5) * step;
  return { left: down(view.left), bottom: down(bottom), right: up(right), top: up(view.top) };
}

/** Of each line, where its degrees stand inside a frame, as `core/show/graticule.py` has it: where the line crosses its
 * edge, parallels at the sides and meridians below and above if they can; one that crosses none, at its leftmost or its
 * lowest place. No figure covers what is taken, nor another. */
export function figuresAtEdges(
  { rings, texts, meridian }: Degrees,
  page: (x: number, y: number) => readonly [number, number],
  frame: Frame,
  sizes: readonly (readonly [number, number])[],
  taken: readonly Frame[],
): EdgeFigure[] {
  const used = [...taken];
  const written: EdgeFigure[] = [];
  const pieces: (readonly [number, number])[][][] = texts.map(() => []);
  for (const [ring, line] of rings.owner.entries()) {
    const piece: (readonly [number, number])[] = [];
    for (let i = rings.start[ring]; i < rings.start[ring + 1]; i += 2)
      piece.push(page(rings.xy[i], rings.xy[i + 1]));
    pieces[line].push(piece);
  }
  for (const [line, [wide, high]] of sizes.entries()) {
    const boxAt = ([x, y]: readonly [number, number]): Frame => [
      x - wide / 2,
      y - high / 2,
      x + wide / 2,
      y + high / 2,
    ];
    const found = placesOf(pieces[line], meridian[line] === 1, frame, wide, high).find((at) => {
      const box = boxAt(at);
      return holds(frame, box) && !used.some((other) => meet(box, other));
    });
    if (!found) continue;
    used.push(boxAt(found));
    written.push({ line, x: found[0], y: found[1] });
  }
  return written;
}

/** Where a line's figure may stand, the best place first. */
function placesOf(
  pieces: readonly (readonly (readonly [number, number])[])[],
  meridian: boolean,
  [left, top, right, bottom]: Frame,
  wide: number,
  high: number,
): (readonly [number, number])[] {
  const sides = [
    [0, left, left + wide / 2],
    [0, right, right - wide / 2],
  ] as const;
  const ends = [
    [1, bottom, bottom - high / 2],
    [1, top, top + high / 2],
  ] as const;
  const found: (readonly [number, number])[] = [];
  for (const [axis, edge, stands] of meridian ? [...ends, ...sides] : [...sides, ...ends]) {
    const [low, upper] = axis === 0 ? [top, bottom] : [left, right];
    for (const piece of pieces)
      for (let k = 0; k + 1 < piece.length; k++) {
        const [from, to] = [piece[k][axis] - edge, piece[k + 1][axis] - edge];
        if (from < 0 === to < 0) continue;
        const along = axis === 0 ? 1 : 0;
        const there = piece[k][along] + (from / (from - to)) * (piece[k + 1][along] - piece[k][along]);
        if (low <= there && there <= upper) found.push(axis === 0 ? [stands, there] : [there, stands]);
      }
  }
  if (found.length) return found;
  const seen = pieces.flat().filter(([x, y]) => x >= left && x <= right && y >= top && y <= bottom);
  if (!seen.length) return [];
  const [x, y] = seen.reduce((a, b) => ((meridian ? b[1] > a[1] : b[0] < a[0]) ? b : a));
  return [
    [
      Math.min(Math.max(x, left + wide / 2), right - wide / 2),
      Math.min(Math.max(y, top + high / 2), bottom - high / 2),
    ],
  ];
}

function holds(frame: Frame, box: Frame): boolean {
  const [left, top, right, bottom] = box.map((inner, i) => inner - frame[i]);
  return Math.min(left, top, -right, -bottom) > -ROUNDING;
}

function meet(a: Frame, b: Frame): boolean {
  return a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3];
}
