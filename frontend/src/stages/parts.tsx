/** What every sheet is made of. */
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { QUIET } from "../theme";

export function Question({ children }: { children: ReactNode }) {
  return (
    <Typography variant="h2" sx={{ mb: 1 }}>
      {children}
    </Typography>
  );
}

export function Quiet({ children }: { children: ReactNode }) {
  return <Typography sx={{ color: QUIET, mt: 1, fontSize: "0.8125rem" }}>{children}</Typography>;
}
