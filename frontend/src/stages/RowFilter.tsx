/** Which rows of the denominators' table count: the same filter as that of events, without time and place. */
import Box from "@mui/material/Box";
import type { Condition, Study, View } from "../api/client";
import { plural, whole } from "../format";
import { type Save, useRowTally, useSources } from "../state/queries";
import { RULE } from "../theme";
import { Part, Present, Values } from "./gather/Conditions";
import { type Change, parts } from "./gather/filter";
import { Quiet } from "./parts";

export function RowFilter({ study, view, save }: { study: Study; view: View; save: Save }) {
  const denominator = view.plan.measure.denominator as { source: string; where: Condition[] };
  const source = useSources(study).data?.find((s) => s.name === denominator.source);
  const where = denominator.where;
  const tally = useRowTally(study, source?.id, where).data;
  const change: Change = (alter) =>
    save((plan) => {
      plan.measure.denominator.where = alter(plan.measure.denominator.where);
    });
  const account = view.ledger.table;
  if (!source || !tally) return null;
  const leftOut = (column: string) => parts(where).find((c) => c.column === column && c.keep === false);
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
