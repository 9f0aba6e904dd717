/** Outlines drawn on the map, corner by corner: they go into the plan where they were asked for. */

import Button from "@mui/material/Button";
import { resultsOf } from "../api/bulk";
import { type View as Outcome, postJson, type Schemas, type Study } from "../api/client";
import type { View } from "../geometry/view";
import { put } from "../plan/filter";
import { mappedEvents } from "../plan/mapped";
import { withOutline } from "../plan/place";
import { useDone } from "../state/asked";
import { useSavePlan } from "../state/queries";
import { type OutlineUse, useParts } from "../state/store";
import { OutlineOverlay } from "./OutlineOverlay";

const ENDS: Record<OutlineUse, string> = {
  filter: "Keep what is inside",
  "left out": "Leave these areas out",
  recorded: "Events could be recorded here",
  cover: "Cover this",
  inset: "Show these areas apart",
};

type Point = readonly [number, number];

export type Outlining = ReturnType<typeof useOutlining>;

/** The outline being drawn; null where none is. */
export function useOutlining(study: Study, outcome: Outcome) {
  const { window, outline, outlineFor, tried, set } = useParts(
    "window",
    "outline",
    "outlineFor",
    "tried",
    "set",
  );
  const save = useSavePlan(study, outcome);
  const close = useDone("The outline", async () => {
    if (!outline || outline.length < 3) return set({ outline: null });
    const corners = await toDegrees(outline, outcome);
    const sized = tried?.areas.kind === "grid" ? tried.areas : undefined;
    set({ outline: null });
    save.mutate((plan) => {
      if (outlineFor !== "filter") return withOutline(plan, outlineFor, corners, { sized, window });
      const events = mappedEvents(plan);
      events.where = put(events.where, () => false, { kind: "inside", outline: corners });
    });
  });
  return {
    outline,
    ends: ENDS[outlineFor],
    add: (at: Point) => outline && set({ outline: [...outline, at] }),
    move: (corner: number, to: Point) =>
      outline && set({ outline: outline.map((c, i) => (i === corner ? to : c)) }),
    close: () => close.mutate(),
  };
}

export function OutlineEditor(props: {
  editing: Outlining;
  view: View;
  size: { width: number; height: number };
}) {
  const { outline, ends, move, close } = props.editing;
  return (
    <>
      {outline && <OutlineOverlay outline={outline} view={props.view} size={props.size} onMove={move} />}
      {outline && outline.length > 2 && (
        <Button
          variant="contained"
          disableElevation
          size="small"
          onClick={close}
          sx={{ position: "absolute", right: 12, top: 12 }}
        >
          {ends}
        </Button>
      )}
    </>
  );
}

/** Points of the map's projection in longitude and latitude. */
export async function toDegrees(points: readonly (readonly [number, number])[], outcome: Outcome) {
  const answer = await postJson<Schemas["DegreePoints"]>(`${resultsOf(outcome)}/degrees`, { points });
  return answer.points as [number, number][];
}
