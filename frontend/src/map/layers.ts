/** The plan's layers as the painter takes them: from the bottom up, as far as they have come. */
import type { Degrees, EventDots, Lines } from "../api/bulk";
import type { Rings } from "../geometry/scanline";
import type { Layer } from "../plan/types";
import { INK } from "../theme";
import type { Dots } from "./dots";
import { packed } from "./paint";
import { linesOf } from "./references";
import type { Drawn, Line } from "./worker";

const UPPER: Omit<Line, "rings"> = { colour: INK, width: 1.8, fromScale: 0 };
const DEGREES: Omit<Line, "rings"> = { colour: "rgba(31,41,51,0.35)", width: 0.8, fromScale: 0 };

interface Came {
  references: readonly Lines[];
  over: Rings | undefined;
  dots: EventDots | undefined;
  degrees: Degrees | undefined;
}

export function layersOf(stack: readonly Layer[], came: Came): Drawn[] {
  return [...stack].reverse().flatMap((layer) => drawn(layer, came));
}

function drawn(layer: Layer, { references, over, dots, degrees }: Came): Drawn[] {
  switch (layer.kind) {
    case "areas":
      return [{ kind: "areas", shown: layer.shown, opacity: layer.opacity }];
    case "outlines":
      return [{ kind: "outlines" }];
    case "events":
      return layer.shown && dots ? [{ kind: "events", dots: colouredDots(dots) }] : [];
    case "degrees":
      return layer.shown && degrees
        ? [{ kind: "lines", lines: [{ rings: degrees.rings, ...DEGREES }], mapOnly: true }]
        : [];
    case "over":
      return over ? [{ kind: "lines", lines: [{ rings: over, ...UPPER }] }] : [];
    case "reference": {
      const found = layer.shown && references.find((r) => r.name === layer.source);
      return found ? [{ kind: "lines", lines: linesOf(found, layer) }] : [];
    }
  }
}

function colouredDots({ x, y, kind, kinds }: EventDots): Dots {
  const colours = kinds.length ? kinds.map((k) => packed(k.colour)) : [packed(INK)];
  return { x, y, colour: Uint32Array.from(kind, (k) => colours[k]) };
}
