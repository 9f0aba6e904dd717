/** The name and value of the area under the pointer: rendered without the rest of the map. */

import Box from "@mui/material/Box";
import type { Areas } from "../api/bulk";
import { valueText } from "../outcome/words";
import { useParts } from "../state/store";
import { INK, PAPER } from "../theme";

export function Pointed({ areas }: { areas: Areas }) {
  const { hovered } = useParts("hovered");
  if (hovered === null || hovered >= areas.name.length) return null;
  return (
    <Box
      data-testid="hovered"
      sx={{
        position: "absolute",
        left: 12,
        top: 12,
        maxWidth: "50%",
        px: 1.25,
        py: 0.5,
        bgcolor: PAPER,
        border: `1px solid ${INK}`,
        pointerEvents: "none",
      }}
    >
      <strong>{areas.name[hovered]}</strong> {valueText(areas, hovered)}
    </Box>
  );
}
