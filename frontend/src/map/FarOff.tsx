/** Areas that lie far off make all others small: they can be shown apart by one click. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Study, View } from "../api/client";
import { plural } from "../format";
import type { Inset } from "../plan/types";
import { useSavePlan } from "../state/queries";
import { INK, PAPER } from "../theme";

export function FarOff({ study, view }: { study: Study; view: View }) {
  const [left, setLeft] = useState("");
  const save = useSavePlan(study, view);
  if (!view.apart.length || left === view.keys.areas) return null;
  const verb = view.far_off === 1 ? "lies" : "lie";
  return (
    <Box
      data-testid="far off"
      sx={{
        position: "absolute",
        left: 12,
        bottom: 12,
        maxWidth: "60%",
        display: "flex",
        alignItems: "center",
        flexWrap: "wrap",
        columnGap: 1,
        px: 1.25,
        py: 0.5,
        bgcolor: PAPER,
        border: `1px solid ${INK}`,
        fontSize: "0.875rem",
      }}
    >
      <span>
        {plural(view.far_off, "area")} {verb} far off.
      </span>
      <Button
        size="small"
        disabled={save.isPending}
        onClick={() =>
          save.mutate((p) => {
            p.show.insets = view.apart as Inset[];
          })
        }
      >
        {view.far_off === 1 ? "Show it apart" : "Show them apart"}
      </Button>
      <Button size="small" onClick={() => setLeft(view.keys.areas)}>
        Leave it so
      </Button>
    </Box>
  );
}
