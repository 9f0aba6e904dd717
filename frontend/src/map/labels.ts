/** Which labels find room, and how large: inside their own shapes, none over another. Knows no DOM. */
import { type Anchors, ROOM_HEIGHTS } from "../api/bulk";
import type { LabelSet } from "../plan/types";

/** A line is so many times as high as its letters. */
export const LINE = 1.2;
/** Smaller letters are not read: what finds no room at this size is left out. */
const SMALLEST = 8;
/** Sizes are tried in steps of this part of what is asked for. */
const STEP = 0.08;
const BUCKET = 64;

/** How wide a text is, in parts of its size. */
export type Measure = (text: string, set: number) => number;

interface Line {
  text: string;
  set: number;
  /** In pixels. */
  size: number;
}

/** Lines below one another, as large as asked for. */
interface Block {
  lines: readonly Line[];
  width: number;
  height: number;
}

export interface PlacedLabel {
  area: number;
  /** The middle of all lines, in the plane of its inset, or of the map (-1). */
  x: number;
  y: number;
  inset: number;
  /** In pixels, with all lines `factor` times as large as they say. */
  width: number;
  height: number;
  factor: number;
  lines: readonly Line[];
}

export interface Labels {
  placed: readonly PlacedLabel[];
  /** How many labels found no room. */
  left: number;
}

/** What does not depend on the map's scale: the lines of each area that says something, the roomiest area first. */
export interface Prepared {
  anchors: Anchors;
  /** The least part of its size that a label may have. */
  least: number;
  /** Of each area, how many sets say something there, and what may stand there: the first that finds room. */
  wanted: readonly { area: number; sets: number; choices: readonly Choice[] }[];
}

/** Some of an area's labels, in one line each or broken. */
interface Choice {
  sets: number;
  blocks: readonly Block[];
}

export function prepareLabels(
  anchors: Anchors,
  sets: readonly LabelSet[],
  texts: readonly (readonly string[])[],
  measure: Measure,
): Prepared {
  const shown = sets.flatMap((set, k) => (set.shown && texts[k] ? [k] : []));
  const least = shown.reduce((f, k) => Math.max(f, Math.min(1, SMALLEST / sets[k].size)), 0);
  const order = Array.from(anchors.radius.keys());
  order.sort((a, b) => anchors.radius[b] - anchors.radius[a] || a - b);
  const wanted = order.flatMap((area) => {
    const says = shown.map((set) => linesOf(texts[set][area], set, sets[set].size)).filter((l) => l.length);
    const choices = subsets(says.length).map((some) => {
      const lines = some.flatMap((k) => says[k]);
      const parted = broken(lines, measure);
      const blocks = [lines, ...(parted ? [parted] : [])].map((l) => blockOf(l, measure));
      return { sets: some.length, blocks };
    });
    return says.length ? [{ area, sets: says.length, choices }] : [];
  });
  return { anchors, least, wanted };
}

/** What is tried: all, then without the last ones, then each of the others alone. */
function subsets(count: number): number[][] {
  const all = Array.from({ length: count }, (_, k) => k);
  return [...all.map((k) => all.slice(0, count - k)), ...all.slice(1).map((k) => [k])];
}

/** Each label as large as asked for, or as its shape has room for; the roomiest first. */
export function placeLabels(
  { anchors, least, wanted }: Prepared,
  /** Pixels a metre of each inset, and of the map for -1. */
  scaleOf: (inset: number) => number,
): Labels {
  const taken = new Map<number, Taken>();
  const placed: PlacedLabel[] = [];
  let left = 0;
  for (const { area, sets, choices } of wanted) {
    const inset = anchors.inset[area];
    const scale = scaleOf(inset);
    let best: Block | null = null;
    let [factor, kept] = [0, 0];
    for (const choice of choices) {
      for (const block of choice.blocks) {
        const found = largest(anchors, area, block, scale, Math.max(least, factor + STEP / 2));
        if (found > 0) [best, factor, kept] = [block, found, choice.sets];
      }
      if (best) break;
    }
    const [x, y] = [anchors.x[area], anchors.y[area]];
    const there = taken.get(inset) ?? new Taken();
    taken.set(inset, there);
    if (best && there.take(x * scale, -y * scale, factor * best.width, factor * best.height)) {
      const [width, height] = [factor * best.width, factor * best.height];
      placed.push({ area, x, y, inset, width, height, factor, lines: best.lines });
      left += sets - kept;
    } else left += sets;
  }
  return { placed, left };
}

/** The largest part of its size at which a block fits into its area; 0 where there is none from `least` on. */
function largest(anchors: Anchors, area: number, block: Block, scale: number, least: number): number {
  const radius = anchors.radius[area] * scale;
  for (let f = 1; f >= least - 1e-9; f -= STEP) {
    const half = (f * block.height) / 2;
    let k = 0;
    while (k < ROOM_HEIGHTS.length && ROOM_HEIGHTS[k] * radius < half) k++;
    if (k < ROOM_HEIGHTS.length && anchors.rooms[k][area] * scale >= (f * block.width) / 2) return f;
  }
  return 0;
}

function linesOf(text: string, set: number, size: number): Line[] {
  return text
    .split("\n")
    .filter((line) => line.trim())
    .map((line) => ({ text: line.trim(), set, size }));
}

function blockOf(lines: readonly Line[], measure: Measure): Block {
  return {
    lines,
    width: lines.reduce((w, l) => Math.max(w, l.size * measure(l.text, l.set)), 0),
    height: lines.reduce((h, l) => h + LINE * l.size, 0),
  };
}

/** With the widest line broken at the blank nearest to its middle; null where it has none. */
function broken(lines: readonly Line[], measure: Measure): Line[] | null {
  const wide = lines.map((l) => l.size * measure(l.text, l.set));
  const at = wide.indexOf(Math.max(...wide));
  const { text } = lines[at];
  const blanks = [...text.matchAll(/\s+/g)].map((m) => m.index);
  if (!blanks.length) return null;
  const away = (blank: number) => Math.abs(blank - text.length / 2);
  const middle = blanks.reduce((a, b) => (away(b) < away(a) ? b : a));
  const parts = [text.slice(0, middle), text.slice(middle).trim()].map((part) => ({
    ...lines[at],
    text: part,
  }));
  return [...lines.slice(0, at), ...parts, ...lines.slice(at + 1)];
}

type Edges = readonly [left: number, top: number, right: number, bottom: number];

/** Boxes that are taken in one plane, sorted into buckets so that each is held against its neighbours alone. */
export class Taken {
  private readonly buckets = new Map<number, Edges[]>();

  /** Take a box about a point, in pixels; false where it would lie over another one. */
  take(x: number, y: number, width: number, height: number): boolean {
    const box: Edges = [x - width / 2, y - height / 2, x + width / 2, y + height / 2];
    const keys: number[] = [];
    for (let i = Math.floor(box[0] / BUCKET); i <= Math.floor(box[2] / BUCKET); i++)
      for (let k = Math.floor(box[1] / BUCKET); k <= Math.floor(box[3] / BUCKET); k++) keys.push(i * 1e7 + k);
    for (const key of keys)
      for (const other of this.buckets.get(key) ?? [])
        if (box[0] < other[2] && other[0] < box[2] && box[1] < other[3] && other[1] < box[3]) return false;
    for (const key of keys) {
      const there = this.buckets.get(key);
      if (there) there.push(box);
      else this.buckets.set(key, [box]);
    }
    return true;
  }
}
