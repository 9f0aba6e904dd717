/** A fold under the sum: closed until wanted, with one sentence of what it does to the map. */
import Box from "@mui/material/Box";
import { type ReactNode, type SyntheticEvent, useState } from "react";
import { QUIET, RULE } from "../../../theme";

export function Fold({ title, says, children }: { title: string; says: string; children: ReactNode }) {
  // What nobody has unfolded yet asks the server for nothing.
  const [opened, setOpened] = useState(false);
  return (
    <Box
      component="details"
      onToggle={(event: SyntheticEvent<HTMLDetailsElement>) => event.currentTarget.open && setOpened(true)}
      sx={{ mt: 2, borderTop: `1px solid ${RULE}`, pt: 1 }}
    >
      <Box component="summary" sx={{ cursor: "pointer" }}>
        <Box component="span" sx={{ fontWeight: 500 }}>
          {title}
        </Box>
        <Box sx={{ color: QUIET, fontSize: "0.8125rem", pl: 2.25 }}>{says}</Box>
      </Box>
      {opened && <Box sx={{ pl: 2.25 }}>{children}</Box>}
    </Box>
  );
}
