/** How many of the events are shown, and the file that has them all. */

import Box from "@mui/material/Box";
import { plural, whole } from "../format";
import { INK, QUIET } from "../theme";

export function Passage({ total, shown, file }: { total: number; shown: number; file?: string }) {
  return (
    <>
      <Box sx={{ color: QUIET }}>
        {total > shown
          ? `The first ${whole(shown)} of ${plural(total, "event")}${file ? "; the file has them all" : ""}.`
          : plural(total, "event")}
      </Box>
      {file && (
        <Box component="a" href={file} download sx={{ color: INK }}>
          save as CSV
        </Box>
      )}
    </>
  );
}
