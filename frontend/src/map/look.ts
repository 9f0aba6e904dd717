/** How the areas look: colours by class, hatching, dots, hairlines where areas are large enough for them. */

import { useMemo } from "react";
import type { Areas } from "../api/bulk";
import type { View as Outcome } from "../api/client";
import type { View } from "../geometry/view";
import { ABOVE_ALL, classOf, NO_CLASS, ZERO_CLASS } from "../outcome/classes";
import { colourAt, endsOf } from "../outcome/unclassed";
import { mappedClasses } from "../plan/mapped";
import { type Doing, useParts } from "../state/store";
import { useUnseen } from "../state/unseen";
import { BEYOND, HATCH, INK, NO_VALUE, PAPER, PLAIN, RULE, WATER } from "../theme";
import { type Look, packed } from "./paint";

/** Of an area a line may take so much: it lies along two sides of it, so that of a square of side s it is 0.05 s wide. */
const LINE_SHARE = 0.1;
/** In pixels of the screen. */
const HAIRLINE_WIDTH = 0.5;
const HAIRLINE = "#FBF9F3";

type Show = Outcome["plan"]["show"];
type Outlines = Show["outlines"];
export type Coloured = Pick<Look, "colour" | "hatched" | "doubtful">;

/** Each area in the colour of its class, hatched where it has no value, dotted where it is in doubt. */
export function coloured(
  outcome: Outcome,
  areas: Areas,
  classAt: (area: number) => number,
  colours: readonly string[],
  unseen: readonly number[] = [],
): Coloured {
  // What is in no class, and the classes.
  const found = Uint32Array.of(
    packed(BEYOND),
    packed(BEYOND),
    packed(outcome.zero_band.colour),
    packed(NO_VALUE),
    ...colours.map(packed),
  );
  const seen = new Uint8Array(found.length).fill(1);
  for (const c of unseen) {
    found[c - ABOVE_ALL] = packed(PAPER);
    seen[c - ABOVE_ALL] = 0;
  }
  const hides = outcome.plan.show.hide_empty;
  const colour = new Uint32Array(areas.value.length);
  const hatched = new Uint8Array(areas.value.length);
  const doubtful = areas.unreliable.slice();
  for (let i = 0; i < colour.length; i++) {
    const c = classAt(i);
    colour[i] = found[c - ABOVE_ALL];
    hatched[i] = c === NO_CLASS ? 1 : 0;
    if (!seen[c - ABOVE_ALL]) doubtful[i] = 0;
    if (hides && isHidden(outcome, areas, i)) {
      colour[i] = packed(groundOf(outcome.plan.show));
      doubtful[i] = 0;
    }
  }
  return { colour, hatched, doubtful };
}

/** Each area in a colour that goes by its value alone. */
function ungrouped(outcome: Outcome, areas: Areas, apart: boolean): Coloured {
  const ends = endsOf(areas.value, apart);
  const look = coloured(outcome, areas, (i) => (Number.isNaN(areas.value[i]) ? NO_CLASS : ZERO_CLASS), []);
  for (let i = 0; i < areas.value.length; i++) {
    const value = areas.value[i];
    if (Number.isNaN(value) || (apart && value === 0) || isHidden(outcome, areas, i)) continue;
    look.colour[i] = packed(colourAt(value, ends, outcome.unclassed, outcome.middle));
  }
  return look;
}

/** Only drawing: an area without events keeps its figure, its class and its row. */
function isHidden(outcome: Outcome, areas: Areas, i: number): boolean {
  return outcome.plan.show.hide_empty && areas.state[i] === 0 && areas.events[i] === 0;
}

/** Nothing but the outlines, for what is drawn over them. */
function blank(areas: Areas): Coloured {
  return {
    colour: new Uint32Array(areas.value.length).fill(packed(PAPER)),
    hatched: new Uint8Array(areas.value.length),
    doubtful: areas.unreliable,
  };
}

/** The colour of the ground outside all areas. */
export function groundOf({ around }: Pick<Show, "around">): string {
  return { plain: PLAIN, water: WATER }[around];
}

/** The colours of a look that are the same for all areas, and which areas are large enough for a hairline. */
export function drawnWith(
  areas: Areas,
  scale: number,
  { outlines, around }: Pick<Show, "outlines" | "around">,
  plain = false,
): Omit<Look, "marked" | keyof Coloured> {
  const colour = outlines.colour === "ink" ? INK : HAIRLINE;
  return {
    background: packed(groundOf({ around })),
    hairline: packed(plain ? RULE : colour),
    ink: packed(INK),
    hatch: packed(HATCH),
    lined: Uint8Array.from(areas.areaKm2, (km2) =>
      thickness(plain ? "hairline" : outlines.draw, outlines.width, Math.sqrt(km2) * 1e3 * scale),
    ),
  };
}

/** How an area is outlined that is so many pixels wide, as `Look.lined` says it. */
function thickness(draw: Outlines["draw"], width: number, side: number): number {
  const most = (LINE_SHARE * side) / 2;
  if (most < HAIRLINE_WIDTH) return 0;
  switch (draw) {
    case "none":
      return 0;
    case "hairline":
      return 1;
    case "line":
      return 1 + Math.min(width, Math.floor(most));
  }
}

/** The look of the areas, with what is drafted of their classes. */
export function useLook(
  outcome: Outcome,
  areas: Areas,
  view: View | null,
  plain: boolean,
): (drafted: Doing["drafted"]) => Omit<Look, "marked"> {
  const { unclassed } = useParts("unclassed");
  const unseen = useUnseen(outcome);
  const kept = useMemo(() => {
    if (plain) return blank(areas);
    const apart = mappedClasses(outcome.plan).zero === "apart";
    if (unclassed && outcome.unclassed.length) return ungrouped(outcome, areas, apart);
    const colours = outcome.bands.map((b) => b.colour);
    return coloured(outcome, areas, (i) => areas.own[i], colours, unseen);
  }, [outcome, areas, plain, unseen, unclassed]);
  const scale = view?.scale ?? 0;
  const { outlines, around } = outcome.plan.show;
  const drawn = useMemo(
    () => drawnWith(areas, scale, { outlines, around }, plain),
    [areas, scale, outlines, around, plain],
  );
  return useMemo(() => {
    const look = { ...kept, ...drawn };
    const bands = outcome.bands.map((b) => packed(b.colour));
    return (drafted) => {
      if (drafted?.key !== outcome.keys.classed || plain || unclassed) return look;
      // Only the areas that change class have another colour.
      const breaks = [Number.NEGATIVE_INFINITY, ...drafted.inner, Number.POSITIVE_INFINITY];
      const colour = look.colour.slice();
      for (const i of drafted.changing)
        if (!isHidden(outcome, areas, i))
          colour[i] = bands[classOf(areas.value[i], breaks, false)] ?? colour[i];
      return { ...look, colour };
    };
  }, [kept, drawn, outcome, areas, plain, unclassed]);
}
