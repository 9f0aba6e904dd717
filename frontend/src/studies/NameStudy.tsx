/** A new study has a name first. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { useNewStudy } from "../state/queries";

export function NameStudy({ onDone }: { onDone?: () => void }) {
  const [name, setName] = useState("");
  const make = useNewStudy();
  return (
    <Box
      component="form"
      sx={{ display: "flex", gap: 1, alignItems: "center", mt: onDone ? 0 : 1 }}
      onSubmit={(event) => {
        event.preventDefault();
        if (name.trim()) make.mutate(name.trim(), { onSuccess: onDone });
      }}
    >
      <TextField
        size="small"
        label="Name of the study"
        value={name}
        autoFocus={Boolean(onDone)}
        error={Boolean(make.error)}
        helperText={make.error?.message}
        onChange={(event) => setName(event.target.value)}
      />
      <Button type="submit" variant="outlined" disabled={!name.trim()}>
        Begin
      </Button>
      {onDone && <Button onClick={onDone}>Not now</Button>}
    </Box>
  );
}
