/** Outlines drawn on the map, corner by corner: they go into the plan where they were asked for. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { resultsOf } from "../api/bulk";
import { type View as Outcome, postJson, type Schemas, type Study } from "../api/client";
import type { View } from "../geometry/view";
import { put } from "../plan/filter";
import { mappedEvents } from "../plan/mapped";
import { withOutline } from "../plan/place";
import { useSavePlan } from "../state/queries";
import { type OutlineUse, useParts } from "../state/store";
import { MADDER, PAPER } from "../theme";
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
  const close = async () => {
    if (!outline || outline.length < 3) return set({ outline: null });
    const corners = await toDegrees(outline, outcome);
    const sized = tried?.areas.kind === "grid" ? tried.areas : undefined;
    set({ outline: null });
    save.mutate((plan) => {
      if (outlineFor !== "filter") return withOutline(plan, outlineFor, corners, { sized, window });
      const events = mappedEvents(plan);
      events.where = put(events.where, () => false, { kind: "inside", outline: corners });
    });
  };
  return {
    outline,
    ends: ENDS[outlineFor],
    add: (at: Point) => outline && set({ outline: [...outline, at] }),
    move: (corner: number, to: Point) =>
      outline && set({ outline: outline.map((c, i) => (i === corner ? to : c)) }),
    close: () => void close(),
    error: save.error,
    forget: () => save.reset(),
  };
}

export function OutlineEditor(props: {
  editing: Outlining;
  view: View;
  size: { width: number; height: number };
}) {
  const { outline, ends, move, close, error, forget } = props.editing;
  return (
    <>
      {outline && <OutlineOverlay outline={outline} view={props.view} size={props.size} onMove={move} />}
      {error && (
        <Box
          role="alert"
          sx={{
            position: "absolute",
            right: 12,
            top: 48,
            maxWidth: 360,
            px: 1.25,
            py: 0.75,
            color: MADDER,
            bgcolor: PAPER,
            border: `1px solid ${MADDER}`,
          }}
        >
          {error.message}{" "}
          <Button size="small" aria-label="Put the message away" onClick={forget} sx={{ minWidth: 24 }}>
            ×
          </Button>
        </Box>
      )}
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
