/** What was decided by itself for the first map, and the likeliest other choices, each one press away. */
import Box from "@mui/material/Box";
import { useState } from "react";
import type { Schemas, Study, View } from "../api/client";
import { Link } from "../parts/parts";
import type { Plan } from "../plan/types";
import { useSavePlan } from "../state/queries";
import { INK } from "../theme";

interface Props {
  study: Study;
  view: View;
  drafted: Schemas["DraftedView"];
}

export function FirstMap({ study, view, drafted }: Props) {
  const [kept, setKept] = useState(false);
  const save = useSavePlan(study, view);
  if (kept) return null;
  return (
    <Box
      role="note"
      aria-label="How this first map was made"
      sx={{
        display: "flex",
        flexWrap: "wrap",
        columnGap: 2,
        px: 2,
        py: 0.75,
        borderBottom: `1px solid ${INK}`,
        fontSize: "0.875rem",
      }}
    >
      <span>{drafted.says.join(" ")}</span>
      {drafted.others.length > 0 && (
        <Box component="span" sx={{ display: "inline-flex", flexWrap: "wrap", columnGap: 1.5 }}>
          Rather:
          {drafted.others.map((other) => (
            <Link
              key={other.says}
              onClick={() =>
                save.mutate((plan) => {
                  Object.assign(plan, other.plan as Plan);
                })
              }
            >
              {other.says}
            </Link>
          ))}
        </Box>
      )}
      <Box component="span" sx={{ ml: "auto" }}>
        <Link onClick={() => setKept(true)}>keep this map</Link>
      </Box>
    </Box>
  );
}
