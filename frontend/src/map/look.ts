/** How the areas look: colours by class, hatching, dots, hairlines where areas are large enough for them. */

import { useMemo } from "react";
import type { Areas } from "../api/bulk";
import type { View as Outcome } from "../api/client";
import type { View } from "../geometry/view";
import { ABOVE_ALL, BELOW_ALL, classIn, classOf, NO_CLASS, ZERO_CLASS } from "../outcome/classes";
import { withEnds } from "../outcome/ruling";
import { mappedClasses } from "../plan/mapped";
import { useParts } from "../state/store";
import { BEYOND, HATCH, INK, NO_VALUE, PAPER, RULE, WATER, ZERO } from "../theme";
import { type Look, packed } from "./paint";

const LINED_FROM_PIXELS = 90;

/** What is in none of the classes. */
const APART: Record<number, number> = {
  [NO_CLASS]: packed(NO_VALUE),
  [ZERO_CLASS]: packed(ZERO),
  [BELOW_ALL]: packed(BEYOND),
  [ABOVE_ALL]: packed(BEYOND),
};

export function useLook(
  outcome: Outcome,
  areas: Areas,
  view: View | null,
  plain: boolean,
): Omit<Look, "marked"> {
  const { drafted } = useParts("drafted");
  const inner = drafted?.key === outcome.keys.classed ? drafted.inner : null;
  const colours = useMemo(() => {
    const apart = mappedClasses(outcome.plan).zero === "apart";
    // Only drawing: an area without events keeps its figure, its class and its row.
    const hide = outcome.plan.show.hide_empty && !plain;
    const hidden = (i: number) => hide && areas.state[i] === 0 && areas.events[i] === 0;
    const breaks = inner && withEnds(outcome.ledger.breaks, inner);
    const bands = outcome.bands.map((b) => packed(b.colour));
    const colour = new Uint32Array(areas.value.length);
    const hatched = new Uint8Array(areas.value.length);
    for (let i = 0; i < colour.length; i++) {
      const c = breaks ? classOf(areas.value[i], breaks, apart) : classIn(outcome, areas.value[i], apart);
      colour[i] = plain ? packed(PAPER) : (bands[c] ?? APART[c]);
      hatched[i] = c === NO_CLASS && !plain ? 1 : 0;
      if (hidden(i)) colour[i] = packed(WATER);
    }
    const doubtful = areas.unreliable.map((flag, i) => (hidden(i) ? 0 : flag));
    return { colour, hatched, doubtful };
  }, [outcome, areas, plain, inner]);
  const scale = view?.scale ?? 0;
  const lined = useMemo(
    () => Uint8Array.from(areas.areaKm2, (km2) => (km2 * 1e6 * scale * scale > LINED_FROM_PIXELS ? 1 : 0)),
    [areas, scale],
  );
  return useMemo(
    () => ({
      ...colours,
      background: packed(WATER),
      hairline: packed(plain ? RULE : "#FBF9F3"),
      ink: packed(INK),
      hatch: packed(HATCH),
      lined,
    }),
    [colours, lined, plain],
  );
}
