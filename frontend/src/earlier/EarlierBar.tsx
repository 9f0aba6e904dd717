/** Above the account, as long as it holds: that the map comes to other figures than before. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import type { View } from "../api/client";
import { type Earlier, useTakeNow } from "../state/earlier";
import { useParts } from "../state/store";
import { INK, MADDER, PAPER } from "../theme";

export function EarlierBar({ view, earlier }: { view: View; earlier: Earlier }) {
  const { before, set } = useParts("before", "set");
  const take = useTakeNow(view);
  return (
    <Box
      role="status"
      sx={{
        display: "flex",
        alignItems: "center",
        gap: 2,
        px: 2,
        py: 0.25,
        borderTop: `1px solid ${MADDER}`,
        bgcolor: PAPER,
        color: MADDER,
        fontSize: "0.875rem",
      }}
    >
      <Box sx={{ flexGrow: 1 }}>
        {earlier.says}
        {take.error && <Box role="alert">{take.error.message}</Box>}
      </Box>
      {earlier.kept && !before && (
        <Button
          size="small"
          variant="outlined"
          sx={{ color: INK, flexShrink: 0 }}
          onClick={() => set({ before: true })}
        >
          See both
        </Button>
      )}
      {!earlier.kept && (
        <Button size="small" sx={{ flexShrink: 0 }} disabled={take.isPending} onClick={() => take.mutate()}>
          Go on with those of now
        </Button>
      )}
    </Box>
  );
}
