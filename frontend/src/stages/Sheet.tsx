/** The open stage's sheet: hangs from its own column over the map. What stands on it is a file a stage. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { useRef } from "react";
import type { Areas } from "../api/bulk";
import type { Study, View } from "../api/client";
import { Unanswered } from "../parts/Answer";
import { useFocusHere } from "../parts/focus";
import { Quiet } from "../parts/parts";
import { mappedMeasure } from "../plan/mapped";
import { same } from "../records";
import { columnLeft, sheetLeft, sheetWidth } from "../state/hang";
import { useSavePlan, useShownPlan } from "../state/queries";
import { type Stage, useParts } from "../state/store";
import { useSmall, useWindowWidth } from "../state/window";
import { INK, PAPER } from "../theme";
import { ClassSheet } from "./class/ClassSheet";
import { GatherSheet } from "./gather/GatherSheet";
import { MeasureSheet } from "./measure/MeasureSheet";
import { PlaceSheet } from "./place/PlaceSheet";
import { ShowSheet } from "./show/ShowSheet";

interface Props {
  study: Study;
  view: View;
  /** The areas' figures, where those of this view are there. */
  areas: Areas | null;
}

export function Sheet({ study, view: saved, areas, stage }: Props & { stage: Stage }) {
  const view = useShownPlan(study, saved);
  const save = useSavePlan(study, view);
  const windowWidth = useWindowWidth();
  const small = useSmall();
  const ref = useRef<HTMLElement>(null);
  useFocusHere(ref, stage);
  const { selected, pinned, set } = useParts("selected", "pinned", "set");
  const body = {
    gather: <GatherSheet study={study} view={view} save={save.mutate} />,
    place: <PlaceSheet study={study} view={view} save={save.mutate} />,
    measure: <MeasureSheet study={study} view={view} areas={areas} save={save.mutate} />,
    class: (
      <ClassSheet
        view={view}
        areas={areas}
        save={save.mutate}
        // How many kinds there are is known once they have been counted.
        counting={!same(mappedMeasure(view.plan), mappedMeasure(saved.plan))}
      />
    ),
    show: <ShowSheet study={study} view={view} save={save.mutate} />,
  }[stage];
  const left = sheetLeft(stage, selected !== null, windowWidth);
  const right = left + sheetWidth(stage, windowWidth);
  const away = columnLeft(stage, windowWidth) - right;
  return (
    <>
      {!pinned && !small && away > 0 && (
        // The sheet's top rule reaches to the column that it is of.
        <Box
          data-testid="to its column"
          sx={{ position: "absolute", top: 0, height: 3, bgcolor: INK, zIndex: 3 }}
          style={{ left: right, width: away + 24 }}
        />
      )}
      <Box
        component="section"
        ref={ref}
        tabIndex={0}
        aria-label={`${stage} sheet`}
        style={pinned || small ? undefined : { left }}
        sx={{
          width: small ? "auto" : sheetWidth(stage, windowWidth),
          overflowY: "auto",
          // The keys are here once it opens: a hairline says so, and does not frame the whole sheet.
          "&:focus-visible": { outline: `1px solid ${INK}`, outlineOffset: -2 },
          bgcolor: PAPER,
          p: 2,
          zIndex: 3,
          ...(small
            ? { borderBottom: `3px double ${INK}` }
            : pinned
              ? { flexShrink: 0, borderRight: `1px solid ${INK}` }
              : {
                  position: "absolute",
                  top: 0,
                  maxHeight: "100%",
                  border: `1px solid ${INK}`,
                  borderTop: 0,
                }),
        }}
      >
        <Box sx={{ float: "right", display: "flex", gap: 1, fontSize: "0.8125rem" }}>
          {!small && (
            <ButtonBase
              aria-pressed={pinned}
              onClick={() => set({ pinned: !pinned })}
              sx={{ font: "inherit", textDecoration: "underline", textUnderlineOffset: 3 }}
            >
              {pinned ? "let it hang" : "beside the map"}
            </ButtonBase>
          )}
          <ButtonBase
            aria-label="Close the sheet"
            onClick={() => set({ sheet: null })}
            sx={{ font: "inherit", px: 0.5 }}
          >
            ×
          </ButtonBase>
        </Box>
        <Unanswered />
        {body}
        {save.isPending && <Quiet>Working it out…</Quiet>}
      </Box>
    </>
  );
}
