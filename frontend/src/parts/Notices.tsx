/** What stands on every page while it holds: that the server is waited for, or that the disk is full. */
import Box from "@mui/material/Box";
import { useWaitingFor } from "../api/waiting";
import { useRoom } from "../state/keeping";
import { MADDER, PAPER } from "../theme";

export function Notices() {
  const room = useRoom();
  const says = useWaitingFor() ?? room;
  if (!says) return null;
  return (
    <Box role="status" sx={{ px: 2, py: 0.75, bgcolor: MADDER, color: PAPER, fontSize: 14, flexShrink: 0 }}>
      {says}
    </Box>
  );
}
