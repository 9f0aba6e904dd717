/** What stands on every page while it holds: that the server is waited for, or that the disk is full. */
import Box from "@mui/material/Box";
import { useWaitingFor } from "../api/waiting";
import { plural } from "../format";
import { useRoomOnDisk } from "../state/keeping";
import { MADDER, PAPER } from "../theme";
import { Unanswered } from "./Answer";

export function Notices({ unsaved = 0 }: { unsaved?: number }) {
  const room = useRoomOnDisk();
  const waiting = useWaitingFor();
  const says = unsaved
    ? `Steady Tally does not answer. ${plural(unsaved, "change waits", "changes wait")} here, and ${unsaved === 1 ? "is" : "are"} saved once it does; if it was stopped, start it again with ./start.sh.`
    : (waiting ?? room);
  return (
    <>
      {says && (
        <Box
          role="status"
          sx={{ px: 2, py: 0.75, bgcolor: MADDER, color: PAPER, fontSize: 14, flexShrink: 0 }}
        >
          {says}
        </Box>
      )}
      <Box sx={{ px: 2, flexShrink: 0 }}>
        <Unanswered />
      </Box>
    </>
  );
}
