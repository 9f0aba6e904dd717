/** How reference lines are drawn: shores in full, roads by their kind, the smaller ones only from near. */
import type { Lines } from "../api/bulk";
import type { Reference } from "../plan/types";
import type { Line } from "./worker";

const SHORE = "#5B6B6B";
const ROADS: Readonly<Record<string, Omit<Line, "rings">>> = {
  street: { colour: "rgba(31,41,51,0.28)", width: 0.6, fromScale: 0.07 },
  "main road": { colour: "rgba(31,41,51,0.42)", width: 1, fromScale: 0.018 },
};
const OTHER: Omit<Line, "rings"> = { colour: SHORE, width: 1, fromScale: 0 };

/** What is filled lies under its own lines; one who chooses a colour or a width has it for all of them. */
export function linesOf(lines: Lines, look: Reference): Line[] {
  const filled = look.fill
    ? [
        {
          rings: only(lines, (_, i) => lines.closed[i] === 1),
          colour: "",
          width: 0,
          fromScale: 0,
          fill: look.fill,
        },
      ]
    : [];
  const own = look.line !== null || look.width !== null;
  const drawn: Line[] = own
    ? [{ rings: lines.rings, ...OTHER, colour: look.line ?? OTHER.colour, width: look.width ?? OTHER.width }]
    : Object.entries(ROADS)
        .map(([kind, road]) => ({ rings: only(lines, (k) => k === kind), ...road }))
        .concat({ rings: only(lines, (k) => !Object.hasOwn(ROADS, k)), ...OTHER });
  return [...filled, ...drawn].filter((line) => line.rings.start.length > 1);
}

function only(lines: Lines, wanted: (kind: string, ring: number) => boolean): Line["rings"] {
  const kept = lines.kind.flatMap((k, i) => (wanted(k, i) ? [i] : []));
  const start = new Int32Array(kept.length + 1);
  const { xy, start: from } = lines.rings;
  const parts = kept.map((i, n) => {
    const part = xy.subarray(from[i], from[i + 1]);
    start[n + 1] = start[n] + part.length;
    return part;
  });
  const joined = new Float32Array(start[kept.length]);
  for (const [n, part] of parts.entries()) joined.set(part, start[n]);
  return { xy: joined, start, owner: Int32Array.from(kept, (i) => lines.rings.owner[i]) };
}
