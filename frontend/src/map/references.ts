/** How reference lines are drawn: shores in full, roads by their kind, the smaller ones only from near. */
import type { Lines } from "../api/bulk";
import type { Line } from "./worker";

const SHORE = "#5B6B6B";
const ROADS: Readonly<Record<string, Omit<Line, "rings">>> = {
  street: { colour: "rgba(31,41,51,0.28)", width: 0.6, fromScale: 0.07 },
  "main road": { colour: "rgba(31,41,51,0.42)", width: 1, fromScale: 0.018 },
};
const OTHER: Omit<Line, "rings"> = { colour: SHORE, width: 1, fromScale: 0 };

export function linesOf(lines: Lines): Line[] {
  return Object.entries(ROADS)
    .map(([kind, look]) => ({ rings: only(lines, (k) => k === kind), ...look }))
    .concat({ rings: only(lines, (k) => !(k in ROADS)), ...OTHER })
    .filter((line) => line.rings.owner.length > 0);
}

function only(lines: Lines, wanted: (kind: string) => boolean): Line["rings"] {
  const kept = lines.kind.flatMap((k, i) => (wanted(k) ? [i] : []));
  const start = new Int32Array(kept.length + 1);
  const { xy, start: from } = lines.rings;
  const parts = kept.map((i, n) => {
    const part = xy.subarray(from[i], from[i + 1]);
    start[n + 1] = start[n] + part.length;
    return part;
  });
  const joined = new Float32Array(start[kept.length]);
  for (const [n, part] of parts.entries()) joined.set(part, start[n]);
  return { xy: joined, start, owner: Int32Array.from(kept) };
}
