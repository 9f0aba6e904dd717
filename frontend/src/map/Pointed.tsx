/** The name and value of the area under the pointer, beside what hangs over the map: rendered without the rest of it. */

import Box from "@mui/material/Box";
import type { Areas } from "../api/bulk";
import { valueText } from "../outcome/words";
import { useParts } from "../state/store";
import { INK, PAPER } from "../theme";

export function Pointed({ areas, left }: { areas: Areas; left: number }) {
  const { hovered } = useParts("hovered");
  if (hovered === null || hovered >= areas.name.length) return null;
  return (
    <Box
      data-testid="hovered"
      sx={{
        position: "absolute",
        top: 12,
        maxWidth: "50%",
        px: 1.25,
        py: 0.5,
        bgcolor: PAPER,
        border: `1px solid ${INK}`,
        pointerEvents: "none",
      }}
      style={{ left }}
    >
      <strong>{areas.name[hovered]}</strong> {valueText(areas, hovered)}
    </Box>
  );
}
