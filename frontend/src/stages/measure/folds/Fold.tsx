/** A fold under the sum: closed until wanted, with one sentence of what it does to the map. */
import Box from "@mui/material/Box";
import { type ReactNode, type SyntheticEvent, useState } from "react";
import type { Areas } from "../../../api/bulk";
import type { View } from "../../../api/client";
import { ToStage } from "../../../parts/Answer";
import { Quiet } from "../../../parts/parts";
import type { Measure, Quotient } from "../../../plan/types";
import type { Save } from "../../../state/queries";
import { MADDER, QUIET, RULE } from "../../../theme";

export function Fold({ title, says, children }: { title: string; says: string; children: ReactNode }) {
  // What nobody has unfolded yet asks the server for nothing.
  const [opened, setOpened] = useState(false);
  return (
    <Box
      component="details"
      onToggle={(event: SyntheticEvent<HTMLDetailsElement>) => event.currentTarget.open && setOpened(true)}
      sx={{ mt: 2, borderTop: `1px solid ${RULE}`, pt: 1 }}
    >
      <Box component="summary" sx={{ cursor: "pointer" }}>
        <Box component="span" sx={{ fontWeight: 500 }}>
          {title}
        </Box>
        <Box sx={{ color: QUIET, fontSize: "0.8125rem", pl: 2.25 }}>{says}</Box>
      </Box>
      {opened && <Box sx={{ pl: 2.25 }}>{children}</Box>}
    </Box>
  );
}

export interface FoldProps {
  view: View;
  areas: Areas | null;
  now: Quotient;
  onChange: (measure: Quotient) => void;
  save: Save;
  /** Why what was tried cannot be worked out, and the measure as it stands. */
  refused: { by: string; stage: string; before: Measure };
}

/** Why a choice of this fold was refused; `part` is what of the measure it is about. */
export function Refusal({ now, refused, part }: FoldProps & { part: readonly (keyof Quotient)[] }) {
  const { by, stage, before } = refused;
  const ours = before.kind === "quotient" && part.some((p) => !isSame(now[p], before[p]));
  if (!by || !ours) return null;
  return (
    <Box role="alert">
      <Quiet colour={MADDER}>
        {by} The figures stay as they were. <ToStage stage={stage} />
      </Quiet>
    </Box>
  );
}

function isSame(a: unknown, b: unknown): boolean {
  return JSON.stringify(a) === JSON.stringify(b);
}
