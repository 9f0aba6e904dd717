/** All placed events, or those of the areas that have a text in a column. */

import Box from "@mui/material/Box";
import { useState } from "react";
import { resultsOf } from "../api/bulk";
import type { View } from "../api/client";
import { Pick } from "../parts/Fields";
import { letsOutEvents } from "../plan/sure";
import { saidIn, useAnswer } from "../state/asked";
import { useAreaColumns, usePlacedEvents } from "../state/queries";
import { RULE } from "../theme";
import { Found, Table } from "./Grid";
import { Passage } from "./Passage";

export function PlacedRows({ view }: { view: View }) {
  const columns = useAnswer(useAreaColumns(view));
  const of = view.plan.place.areas;
  const wholeZones = of.kind === "zones" && of.overlaps === "each";
  const rolled = of.kind === "zones" ? of.roll_up : null;
  const offered = wholeZones && columns ? columns.filter((c) => !rolled || c.column === rolled) : [];
  const [column, setColumn] = useState("");
  const [value, setValue] = useState("");
  const chosen = offered.find((c) => c.column === column);
  const filter =
    chosen && value ? `&column=${encodeURIComponent(column)}&value=${encodeURIComponent(value)}` : "";
  const found = usePlacedEvents(view, filter);
  const known = saidIn("the table’s place", found);
  const file = letsOutEvents(view.plan) ? `${resultsOf(view)}/events/file?${filter.slice(1)}` : undefined;
  return (
    <>
      <Box sx={{ display: "flex", gap: 2, px: 2, alignItems: "center", borderTop: `1px solid ${RULE}` }}>
        {offered.length > 0 && (
          <>
            <Box sx={{ width: 200 }}>
              <Pick
                label="Whose area has in"
                value={column}
                options={[["", "any column"], ...offered.map((c) => [c.column, c.column] as const)]}
                onChange={(c) => {
                  setColumn(c);
                  setValue("");
                }}
              />
            </Box>
            {chosen && (
              <Box sx={{ width: 200 }}>
                <Pick
                  label="The text"
                  value={value}
                  options={[
                    ["", "any"],
                    ...Object.keys(chosen.values as Record<string, number>).map(
                      (v) => [v, v || "blank"] as const,
                    ),
                  ]}
                  onChange={setValue}
                />
              </Box>
            )}
          </>
        )}
        {known && <Passage total={known.total} shown={known.rows.length} file={file} />}
      </Box>
      <Found of={found}>
        {(rows) => <Table label="Placed events" view={view} found={rows} numbers={["record", "line"]} />}
      </Found>
    </>
  );
}
