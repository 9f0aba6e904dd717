/** Which rows of the denominators' table count: the same filter as that of events, without time and place. */
import Box from "@mui/material/Box";
import type { Study, View } from "../../api/client";
import { plural, whole } from "../../format";
import { Part, Present, Values } from "../../parts/Conditions";
import { Quiet } from "../../parts/parts";
import { type Change, parts } from "../../plan/filter";
import { mappedMeasure } from "../../plan/mapped";
import type { FromTable, Plan } from "../../plan/types";
import { type Save, useRowTally, useSources } from "../../state/queries";
import { RULE } from "../../theme";

/** The table that the mapped measure is divided by, if it is. */
function tableUnder(plan: Plan): FromTable | null {
  const measure = mappedMeasure(plan);
  return measure.kind === "rate" && measure.denominator.kind === "table" ? measure.denominator : null;
}

export function RowFilter({ study, view, save }: { study: Study; view: View; save: Save }) {
  const denominator = tableUnder(view.plan);
  const source = useSources(study).data?.find((s) => s.name === denominator?.source);
  const where = denominator?.where ?? [];
  const tally = useRowTally(study, source?.id, where).data;
  const change: Change = (alter) =>
    save((plan) => {
      const under = tableUnder(plan);
      if (under) under.where = alter(under.where);
    });
  const account = view.ledger.table;
  if (!denominator || !source || !tally) return null;
  const leftOut = (column: string) =>
    parts(where).find((c) => c.kind === "values" && c.column === column && !c.keep);
  return (
    <Box component="details" sx={{ mt: 2, borderTop: `1px solid ${RULE}`, pt: 1 }}>
      <Box component="summary" sx={{ cursor: "pointer", fontWeight: 500 }}>
        Which rows of “{denominator.source}” count
      </Box>
      <Box sx={{ fontSize: "1.15rem", mt: 1 }} data-testid="rows kept">
        {whole(tally.kept)} of {plural(tally.usable, "row")}
      </Box>
      {account && (
        <Quiet>
          {plural(account.rows_used, "row")} joined to an area, {whole(account.rows_left_over)} to none.
        </Quiet>
      )}
      <Present where={where} change={change} />
      {tally.columns
        .filter((column) => !leftOut(column.column))
        .map((column) => (
          <Part key={column.column} title={column.column}>
            <Values column={column} where={where} change={change} />
          </Part>
        ))}
    </Box>
  );
}
