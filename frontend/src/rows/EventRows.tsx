/** The events of the selected area. */

import Box from "@mui/material/Box";
import { type Areas, resultsOf } from "../api/bulk";
import type { View } from "../api/client";
import { useAreaEvents } from "../state/queries";
import { Found, Say, Table } from "./Grid";
import { Passage } from "./Passage";

export function EventRows(props: { view: View; areas: Areas; area: number | null }) {
  const { view, areas, area } = props;
  const events = useAreaEvents(view, area);
  if (area === null)
    return <Say text="Choose an area on the map or among the areas; its events are shown here." />;
  const file = `${resultsOf(view)}/events/file?area=${encodeURIComponent(areas.identifier[area])}`;
  return (
    <Found of={events}>
      {(rows) => (
        <>
          <Box sx={{ display: "flex", gap: 2, px: 2 }}>
            <Passage total={rows.total} shown={rows.rows.length} file={file} />
          </Box>
          <Table label="Events" view={view} found={rows} numbers={["record", "line"]} />
        </>
      )}
    </Found>
  );
}
