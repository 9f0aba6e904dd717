/** A box to tick, with its words. */
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";

export function Ticked(props: { label: string; on: boolean; onChange: (on: boolean) => void }) {
  return (
    <FormControlLabel
      label={props.label}
      sx={{ display: "flex", "& .MuiFormControlLabel-label": { fontSize: "0.875rem" } }}
      control={
        <Checkbox
          size="small"
          checked={props.on}
          onChange={(_, on) => props.onChange(on)}
          sx={{ py: 0.25 }}
        />
      }
    />
  );
}
