/** The account line: five ruled columns, each with its figure and, underneath, what did not go on. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import type { View } from "../api/client";
import { figure, plural, whole } from "../format";
import { STAGES, type Stage, useDoing } from "../state/store";
import { HEADING, INK, QUIET, RULE } from "../theme";

interface Column {
  figure: string;
  note: string;
  /** The note opens the records set aside. */
  rows?: boolean;
}

export function columnsOf(view: View): Record<Stage, Column> {
  const [gather, place] = view.ledger.stages;
  const missing = view.states.reduce((sum, s) => sum + s.areas, 0);
  const classes = view.bands.length;
  const method = view.plan.class.method === "quantile" ? "quantile" : "natural breaks";
  const total = view.total_value;
  return {
    gather: {
      figure: whole(gather.records_out),
      note: `${whole(gather.records_set_aside)} set aside`,
      rows: true,
    },
    place: {
      figure: whole(place.records_out),
      note: `${whole(place.records_set_aside)} outside`,
      rows: true,
    },
    measure: {
      figure: total === null ? plural(view.events, "event") : `${figure(total)}`,
      note:
        total === null
          ? `in ${plural(view.ledger.areas.read, "area")}`
          : view.value_name.replace("events ", ""),
    },
    class: {
      figure: `${classes}, ${method}`,
      note: view.ledger.fit === null ? "no fit" : `fit ${view.ledger.fit.toFixed(2)}`,
    },
    show: {
      figure: view.kind === "cells" ? "hexagons" : "zones",
      note: missing ? `${plural(missing, "area")} without a value` : "every area has a value",
    },
  };
}

export function AccountLine({ view }: { view: View }) {
  const { sheet, set } = useDoing();
  const columns = columnsOf(view);
  return (
    <Box
      component="nav"
      aria-label="Account line"
      sx={{
        display: "grid",
        gridTemplateColumns: "repeat(5, minmax(0, 1fr))",
        borderTop: `3px double ${INK}`,
        borderBottom: `3px double ${INK}`,
      }}
    >
      {STAGES.map((stage, i) => (
        <Box key={stage} sx={{ borderLeft: i ? `1px solid ${RULE}` : 0, position: "relative" }}>
          <ButtonBase
            onClick={() => set({ sheet: sheet === stage ? null : stage })}
            aria-expanded={sheet === stage}
            sx={{
              display: "block",
              width: "100%",
              textAlign: "left",
              px: 2,
              pt: 0.75,
              pb: 0.5,
              "&:hover": { bgcolor: "#EFE9DB" },
            }}
          >
            <Box sx={{ fontFamily: HEADING, fontSize: "1rem" }}>
              {stage[0].toUpperCase() + stage.slice(1)}
            </Box>
            <Box
              data-figure={stage}
              sx={{
                fontSize: "1.3rem",
                lineHeight: 1.3,
                whiteSpace: "nowrap",
                overflow: "hidden",
                textOverflow: "ellipsis",
              }}
            >
              {columns[stage].figure}
            </Box>
            {!columns[stage].rows && <Note text={columns[stage].note} stage={stage} />}
          </ButtonBase>
          {columns[stage].rows && (
            <ButtonBase
              onClick={() =>
                set({ rows: "set aside", reason: stage === "place" ? "outside_every_area" : null })
              }
              sx={{
                px: 2,
                pb: 0.75,
                mt: -0.5,
                fontSize: "inherit",
                textDecoration: "underline",
                textUnderlineOffset: 3,
                textDecorationColor: RULE,
              }}
            >
              <Note text={columns[stage].note} stage={stage} />
            </ButtonBase>
          )}
          {sheet === stage && (
            <Box sx={{ position: "absolute", left: 0, right: 0, bottom: -3, height: 3, bgcolor: INK }} />
          )}
        </Box>
      ))}
    </Box>
  );
}

function Note({ text, stage }: { text: string; stage: Stage }) {
  return (
    <Box
      data-note={stage}
      sx={{
        color: QUIET,
        fontSize: "0.8125rem",
        whiteSpace: "nowrap",
        overflow: "hidden",
        textOverflow: "ellipsis",
      }}
    >
      {text}
    </Box>
  );
}
