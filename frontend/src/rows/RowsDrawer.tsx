/** Rows rise from the foot: areas, the events of the selected area, the records set aside. A file a table. */

import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { useEffect, useRef } from "react";
import { type Areas, resultsOf } from "../api/bulk";
import type { Study, View } from "../api/client";
import { plural, whole } from "../format";
import { Unanswered } from "../parts/Answer";
import { letsOutEvents } from "../plan/sure";
import { useAnswer } from "../state/asked";
import { useKinds } from "../state/queries";
import { type RowsTab, useParts } from "../state/store";
import { useSmall } from "../state/window";
import { INK, PAPER, QUIET } from "../theme";
import { AreaRows } from "./AreaRows";
import { saveText } from "./csv";
import { DisagreeingRows } from "./DisagreeingRows";
import { EventRows } from "./EventRows";
import { OutsideRows } from "./OutsideRows";
import { PlacedRows } from "./PlacedRows";
import { SetAsideRows } from "./SetAsideRows";

const TABS: RowsTab[] = ["areas", "placed", "events", "outside", "labels", "set aside"];
/** Tables that stand here only while they are looked at. */
const PASSING: RowsTab[] = ["outside", "labels"];

export function RowsDrawer({ study, view, areas }: { study: Study; view: View; areas: Areas }) {
  const { rows, selected, reason, set } = useParts("rows", "selected", "reason", "set");
  const shown = useRef<(() => string) | null>(null);
  const here = useRef<HTMLElement>(null);
  const small = useSmall();
  useEffect(() => {
    // Where the page is scrolled they are far below.
    if (small && rows) here.current?.scrollIntoView();
  }, [small, rows]);
  const kinds = useAnswer(useKinds(view, rows === "areas"));
  const aside = view.ledger.stages.reduce((n, s) => n + s.records_set_aside, 0);
  const label = {
    areas: `${plural(view.ledger.areas.read, "area")}`,
    placed: `${whole(view.ledger.stages[1].records_out)} placed`,
    outside: "in no area",
    labels: "in another area than they state",
    events: selected === null ? "events of the selected area" : `events in ${areas.name[selected]}`,
    "set aside": `${whole(aside)} set aside`,
  };
  return (
    <Box
      component="section"
      ref={here}
      aria-label="Rows"
      sx={{ borderTop: `3px double ${INK}`, bgcolor: PAPER, flexShrink: 0, zIndex: 4 }}
    >
      <Box
        sx={{ display: "flex", gap: 2.5, px: 2, minHeight: "2rem", flexWrap: "wrap", alignItems: "center" }}
        role="group"
        aria-label="Which rows"
      >
        {TABS.filter((tab) => !PASSING.includes(tab) || tab === rows).map((tab) => (
          <ButtonBase
            key={tab}
            aria-pressed={rows === tab}
            onClick={() => set({ rows: rows === tab ? null : tab, reason: null })}
            sx={{
              font: "inherit",
              borderBottom: rows === tab ? `2px solid ${INK}` : "2px solid transparent",
            }}
          >
            {label[tab]}
          </ButtonBase>
        ))}
        {rows === "set aside" && reason && (
          <Box sx={{ color: QUIET }}>
            {reason.replaceAll("_", " ")} only{" "}
            <ButtonBase
              onClick={() => set({ reason: null })}
              sx={{ font: "inherit", textDecoration: "underline" }}
            >
              show all
            </ButtonBase>
          </Box>
        )}
        <Box sx={{ flexGrow: 1 }} />
        {rows === "areas" && kinds && kinds.of > kinds.words.length && (
          <Box sx={{ color: QUIET }}>
            the commonest {whole(kinds.words.length)} of {whole(kinds.of)} kinds
          </Box>
        )}
        {rows === "areas" && (
          <ButtonBase
            onClick={() => shown.current && saveText(shown.current(), "areas.csv")}
            sx={{ font: "inherit", textDecoration: "underline" }}
          >
            save these rows as CSV
          </ButtonBase>
        )}
        {rows === "areas" && view.by_kind && (
          <Box component="a" href={`${resultsOf(view)}/categories.csv`} download sx={{ color: INK }}>
            save areas by kind as CSV
          </Box>
        )}
        {rows === "set aside" && letsOutEvents(view.plan) && (
          <Box
            component="a"
            href={`${resultsOf(view)}/set-aside.csv${reason ? `?reason=${encodeURIComponent(reason)}` : ""}`}
            download
            sx={{ color: INK }}
          >
            save as CSV
          </Box>
        )}
        <ButtonBase onClick={() => set({ rows: rows ? null : "areas" })} sx={{ font: "inherit" }}>
          {rows ? "lower the rows" : "raise the rows"}
        </ButtonBase>
      </Box>
      <Box sx={{ px: 2 }}>
        <Unanswered />
      </Box>
      {rows === "areas" && <AreaRows view={view} areas={areas} shown={shown} />}
      {rows === "placed" && <PlacedRows view={view} />}
      {rows === "outside" && <OutsideRows view={view} />}
      {rows === "labels" && <DisagreeingRows view={view} />}
      {rows === "events" && <EventRows view={view} areas={areas} area={selected} />}
      {rows === "set aside" && <SetAsideRows study={study} view={view} reason={reason} />}
    </Box>
  );
}
