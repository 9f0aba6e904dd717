import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableRow from "@mui/material/TableRow";
import { useParts } from "./state/store";

const KEYS: [string, string][] = [
  ["1 to 5", "open or close the sheet of a stage"],
  ["b", "show all classes again"],
  ["r", "raise or lower the rows"],
  ["Escape", "close what is open"],
  ["Tab, then arrow keys", "on the map: move it; in the rows: go from row to row"],
  ["+ and −, 0", "on the map: nearer, farther, all of it"],
  ["Enter", "in the rows: the card of that area"],
  ["Up, Down", "on a break: to where the next area changes class; with Shift by a round step"],
  ["Enter, Insert, Delete", "on a break: type its figure, rule another above it, take it out"],
  ["?", "this list"],
];

export function Help() {
  const { help, set } = useParts("help", "set");
  return (
    <Dialog open={help} onClose={() => set({ help: false })}>
      <DialogTitle variant="h2">Keys</DialogTitle>
      <DialogContent>
        <Table size="small">
          <TableBody>
            {KEYS.map(([key, does]) => (
              <TableRow key={key}>
                <TableCell sx={{ fontWeight: 600 }}>{key}</TableCell>
                <TableCell>{does}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </DialogContent>
    </Dialog>
  );
}
