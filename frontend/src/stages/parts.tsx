/** What every sheet is made of. */
import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { whole } from "../format";
import { INK, QUIET } from "../theme";

export function Question({ children }: { children: ReactNode }) {
  return (
    <Typography variant="h2" sx={{ mb: 1 }}>
      {children}
    </Typography>
  );
}

export function Quiet({ children, colour = QUIET }: { children: ReactNode; colour?: string }) {
  return <Typography sx={{ color: colour, mt: 1, fontSize: "0.8125rem" }}>{children}</Typography>;
}

/** Words that do something, within a sentence or a list. */
export function Link({ onClick, children }: { onClick: () => void; children: ReactNode }) {
  return (
    <ButtonBase
      onClick={onClick}
      sx={{
        font: "inherit",
        fontSize: "0.8125rem",
        textAlign: "left",
        textDecoration: "underline",
        textUnderlineOffset: 3,
      }}
    >
      {children}
    </ButtonBase>
  );
}

/** The head of a part of a sheet. */
export function Head({ children }: { children: ReactNode }) {
  return <Box sx={{ mt: 2, borderBottom: `1px solid ${INK}`, fontWeight: 500 }}>{children}</Box>;
}

/** An entry: words on the left, a count on the right. */
export function Line({ count, children }: { count: number | string; children: ReactNode }) {
  return (
    <Box sx={{ display: "flex", justifyContent: "space-between", gap: 2 }}>
      <span>{children}</span>
      <span style={{ whiteSpace: "nowrap" }}>{typeof count === "number" ? whole(count) : count}</span>
    </Box>
  );
}
