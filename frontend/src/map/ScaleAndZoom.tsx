/** How long a stretch of the map is on the ground, and how near one looks. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { scaleBar } from "../geometry/view";
import { INK, PAPER } from "../theme";

export function ScaleBar({ bar }: { bar: ReturnType<typeof scaleBar> | null }) {
  if (!bar) return null;
  return (
    <Box
      sx={{
        fontSize: "0.75rem",
        color: INK,
        textAlign: "center",
        bgcolor: PAPER,
        border: `1px solid ${INK}`,
        px: 1,
        pb: 0.75,
      }}
      aria-label={`Scale: ${bar.text}`}
      role="img"
    >
      {bar.text}
      <Box sx={{ width: bar.pixels, height: 5, border: `1px solid ${INK}`, borderTop: 0 }} />
    </Box>
  );
}

export function ZoomButtons({ zoom, showAll }: { zoom: (factor: number) => void; showAll: () => void }) {
  return (
    <Box sx={{ display: "flex", bgcolor: PAPER, border: `1px solid ${INK}` }}>
      {(
        [
          ["Nearer", "+", () => zoom(1.5)],
          ["Farther", "−", () => zoom(1 / 1.5)],
          ["All of it", "All", showAll],
        ] as const
      ).map(([label, text, act]) => (
        <Button key={label} size="small" aria-label={label} onClick={act} sx={{ minWidth: 34, py: 0 }}>
          {text}
        </Button>
      ))}
    </Box>
  );
}
