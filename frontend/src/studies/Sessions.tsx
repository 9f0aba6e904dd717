/** Who is in: how many sessions there are, and ending them all. */

import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation } from "@tanstack/react-query";
import { getJson, postJson, type Schemas } from "../api/client";
import { plural } from "../format";
import { Answer } from "../parts/Answer";
import { useAsked } from "../state/asked";
import { MADDER, PAPER } from "../theme";

type Told = Schemas["SessionsView"];

export function Sessions({ close }: { close: () => void }) {
  const asked = useAsked("The sessions", {
    queryKey: ["sessions"],
    queryFn: () => getJson<Told>("/api/sessions"),
  });
  const end = useMutation({
    mutationFn: () => postJson("/api/sessions", {}, "DELETE"),
    onSuccess: () => window.location.assign("/"),
  });
  return (
    <Dialog open onClose={close} slotProps={{ paper: { sx: { bgcolor: PAPER, maxWidth: 560 } } }}>
      <DialogTitle>Sessions</DialogTitle>
      <DialogContent>
        <Answer of={asked}>
          {(told) => (
            <>
              <Typography sx={{ mb: 1.5 }}>
                {plural(told.count, "browser or program", "browsers or programs")} can see and change all
                studies here. A session ends after a day, and when Steady Tally is stopped.
              </Typography>
              <Typography sx={{ mb: 1.5, color: told.at_own_address ? undefined : MADDER }}>
                {told.at_own_address ? (
                  "This page has an address of its own: your browser shows its session to nothing else."
                ) : (
                  <>
                    At this address your browser shows its session to any page of this machine, other people’s
                    too. If it finds {told.own_address}, open Steady Tally there:{" "}
                    <code>./start.sh --print-key</code> prints that address with a key.
                  </>
                )}
              </Typography>
              <Typography>
                Ending all sessions closes this page, too. <code>./start.sh --print-key</code> prints an
                address with a fresh key.
              </Typography>
            </>
          )}
        </Answer>
        {end.error && (
          <Typography role="alert" sx={{ color: MADDER, mt: 1.5 }}>
            {end.error.message}
          </Typography>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={close}>Keep them</Button>
        <Button variant="contained" disableElevation disabled={end.isPending} onClick={() => end.mutate()}>
          End all sessions
        </Button>
      </DialogActions>
    </Dialog>
  );
}
