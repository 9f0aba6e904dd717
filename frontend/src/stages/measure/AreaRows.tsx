/** How the rows of a table become one figure an area: what they differ in, what is done about it, how numbers are written. */
import Box from "@mui/material/Box";
import { DecimalSign, Pick } from "../../parts/Fields";
import { Quiet } from "../../parts/parts";
import { answered, rowsSay, whatHappens } from "../../plan/rate";
import type { FromTable } from "../../plan/types";
import type { Proposal } from "../../state/queries";
import { MADDER, RULE } from "../../theme";

export function AreaRows(props: { proposal: Proposal; onAnswer: (denominator: FromTable) => void }) {
  const { proposal, onAnswer } = props;
  const denominator = proposal.denominator as FromTable;
  const missing = proposal.refusal.includes("has no row for") || denominator.absent === "zero";
  if (!proposal.differ.length && proposal.decimal !== null && !proposal.refusal) return null;
  return (
    <Box
      component="section"
      aria-label="Rows of one area"
      sx={{ mt: 2, borderTop: `1px solid ${RULE}`, pt: 1 }}
    >
      <Box>{rowsSay({ ...proposal, denominator })}</Box>
      {proposal.differ.map((column) => (
        <Pick
          key={column}
          label={`Rows that differ in “${column}” are`}
          value={whatHappens(denominator, column)}
          options={[
            ["", "not decided"],
            ["added", "added up"],
            ["averaged", "averaged"],
          ]}
          onChange={(to) => onAnswer(answered(denominator, column, to))}
        />
      ))}
      {(proposal.decimal === null || denominator.decimal) && (
        <DecimalSign
          open
          value={denominator.decimal ?? ""}
          onChange={(decimal) => onAnswer({ ...denominator, decimal })}
        />
      )}
      {missing && (
        <Pick<FromTable["absent"]>
          label="A row that is missing is"
          value={denominator.absent}
          options={[
            ["mistake", "a mistake in the table"],
            ["zero", "nobody"],
          ]}
          onChange={(absent) => onAnswer({ ...denominator, absent })}
        />
      )}
      {proposal.refusal && <Quiet colour={MADDER}>{proposal.refusal}</Quiet>}
    </Box>
  );
}
