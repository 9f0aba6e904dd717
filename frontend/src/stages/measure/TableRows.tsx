/** A figure of a table: what becomes of several rows of an area, which rows count, and how the rows find their areas. */

import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import type { Areas } from "../../api/bulk";
import type { Study, View } from "../../api/client";
import { plural, whole } from "../../format";
import type { Role } from "../../outcome/terms";
import { Answer } from "../../parts/Answer";
import { Part, Present, Values } from "../../parts/Conditions";
import { DecimalSign, Pick } from "../../parts/Fields";
import { KeptField } from "../../parts/KeptField";
import { Quiet, Unfold } from "../../parts/parts";
import { Ticked } from "../../parts/Ticked";
import { type Change, parts } from "../../plan/filter";
import { answered, type Fate, rowsSay, whatHappens } from "../../plan/tableRows";
import type { FromTable, OfText } from "../../plan/types";
import { useAnswer } from "../../state/asked";
import { type Proposal, useProposal, useRowTally, useSources } from "../../state/queries";
import { MADDER } from "../../theme";
import { Pairing } from "./Pairing";

interface Props {
  study: Study;
  view: View;
  areas: Areas | null;
  term: Role;
  now: FromTable;
  onChange: (term: FromTable) => void;
}

export function TableRows(props: Props) {
  const { study, view, now, onChange } = props;
  const asked = useProposal(view, now);
  return (
    <>
      <Answer of={asked}>
        {(proposal) => <SeveralRows proposal={proposal} now={now} onChange={onChange} />}
      </Answer>
      <FormControlLabel
        label="follow the filters of the events on who somebody was"
        control={
          <Checkbox
            size="small"
            checked={now.follow}
            onChange={(event) => onChange({ ...now, follow: event.target.checked })}
          />
        }
      />
      <Ticked
        label="what several areas have is the sum of theirs"
        on={now.sums}
        onChange={(sums) => onChange({ ...now, sums })}
      />
      {now.shared && <SharedOut study={study} now={now} onChange={onChange} />}
      <Pairing {...props} />
      <RowFilter study={study} now={now} onChange={onChange} />
      <Noun key={now.noun} now={now} onChange={onChange} />
    </>
  );
}

function SeveralRows(props: { proposal: Proposal; now: FromTable; onChange: Props["onChange"] }) {
  const { proposal, now, onChange } = props;
  const missing = proposal.refusal.includes("has no row for") || now.absent === "zero";
  const again = proposal.refusal.includes("nothing says that they may be added") || now.repeated !== "refuse";
  if (now.rows === "all")
    return (
      <Unfold title="All rows of one area are added up, totals too" open>
        <Pick<FromTable["rows"]>
          label="Rows of one area are"
          value={now.rows}
          options={[
            ["all", "all added up, totals too"],
            ["checked", "added up as far as they may be"],
          ]}
          onChange={(rows) => onChange({ ...now, rows })}
        />
      </Unfold>
    );
  if (!proposal.differ.length && proposal.decimal !== null && !proposal.refusal) return null;
  return (
    <Unfold
      title={rowsSay({ ...proposal, denominator: now }) || "Rows of one area"}
      open={Boolean(proposal.refusal)}
    >
      {proposal.differ.map((column) => (
        <Pick<Fate>
          key={column}
          label={`Rows that differ in “${column}” are`}
          value={whatHappens(now, column)}
          options={[
            ["", "not decided"],
            ["added", "added up"],
            ["averaged", "averaged"],
            ["year", "of the year that it names"],
          ]}
          onChange={(to) => onChange(answered(now, column, to))}
        />
      ))}
      {(proposal.decimal === null || now.decimal) && (
        <DecimalSign open value={now.decimal ?? ""} onChange={(decimal) => onChange({ ...now, decimal })} />
      )}
      {missing && (
        <Pick<FromTable["absent"]>
          label="A row that is missing is"
          value={now.absent}
          options={[
            ["mistake", "a mistake in the table"],
            ["zero", "nobody"],
          ]}
          onChange={(absent) => onChange({ ...now, absent })}
        />
      )}
      {again && (
        <Pick<FromTable["repeated"]>
          label="Rows that differ in nothing but their figures are"
          value={now.repeated}
          options={[
            ["refuse", "a mistake in the table"],
            ["sum", "added up"],
            ["first", "passed over but for the first"],
          ]}
          onChange={(repeated) => onChange({ ...now, repeated })}
        />
      )}
      {proposal.refusal && <Quiet colour={MADDER}>{proposal.refusal}</Quiet>}
    </Unfold>
  );
}

/** How the figures of zones are shared out among the areas: evenly by ground, or as a finer source lies. */
function SharedOut({ study, now, onChange }: { study: Study; now: FromTable; onChange: Props["onChange"] }) {
  const sources = useAnswer(useSources(study))?.filter((s) => s.name !== now.source && s.role !== "events");
  const shared = now.shared!;
  const by = shared.by;
  const of = by.kind === "source" ? sources?.find((s) => s.name === by.source) : undefined;
  const put = (next: NonNullable<FromTable["shared"]>["by"]) =>
    onChange({ ...now, shared: { ...shared, by: next } });
  return (
    <Unfold
      title={`Shared out from “${shared.zones}” ${by.kind === "ground" ? "by ground" : `as “${by.source}” lies`}`}
    >
      <Pick
        label="Where in a zone they live"
        value={by.kind === "ground" ? "" : by.source}
        options={[
          ["", "evenly on its ground"] as const,
          ...(sources?.map((s) => [s.name, `as “${s.name}” lies`] as const) ?? []),
        ]}
        onChange={(source) => put(source ? { kind: "source", source, column: null } : { kind: "ground" })}
      />
      {by.kind === "source" && of && (
        <Pick
          label="Each weighs"
          value={by.column ?? ""}
          options={[["", "the same"] as const, ...of.columns.map((c) => [c, `its “${c}”`] as const)]}
          onChange={(column) => put({ ...by, column: column || null })}
        />
      )}
    </Unfold>
  );
}

/** Words of a table: which rows count, and how they find their areas. */
export function WordRows(props: Omit<Props, "now" | "onChange" | "term"> & RowsOf<OfText>) {
  return (
    <>
      <Pairing {...props} term="counted" />
      <RowFilter {...props} />
    </>
  );
}

interface RowsOf<T> {
  study: Study;
  now: T;
  onChange: (term: T) => void;
}

/** Which rows of the table count: the same filter as that of events, without time and place. */
function RowFilter<T extends FromTable | OfText>({ study, now, onChange }: RowsOf<T>) {
  const source = useAnswer(useSources(study))?.find((s) => s.name === now.source);
  const tally = useAnswer(useRowTally(study, source?.id, now.where));
  const change: Change = (alter) => onChange({ ...now, where: alter(now.where) });
  if (!source || !tally) return null;
  const leftOut = (column: string) =>
    parts(now.where).find((c) => c.kind === "values" && c.column === column && !c.keep);
  return (
    <Unfold title={`Which rows of “${now.source}” count`}>
      <Box sx={{ fontSize: "1.15rem", mt: 1 }} data-testid="rows kept">
        {whole(tally.kept)} of {plural(tally.usable, "row")}
      </Box>
      <Present where={now.where} change={change} />
      {tally.columns
        .filter((column) => !leftOut(column.column))
        .map((column) => (
          <Part key={column.column} title={column.column}>
            <Values column={column} where={now.where} change={change} />
          </Part>
        ))}
    </Unfold>
  );
}

/** What the figure counts, in the user's word. */
function Noun({ now, onChange }: { now: FromTable; onChange: Props["onChange"] }) {
  return (
    <Unfold title={`It is called “${now.noun}”`}>
      <NounField now={now} onChange={onChange} />
    </Unfold>
  );
}

function NounField({ now, onChange }: { now: FromTable; onChange: Props["onChange"] }) {
  return (
    <KeptField
      label="What it counts"
      value={now.noun}
      check={(text) => (text.trim() ? null : { says: "Say what it counts." })}
      onKeep={(text) => text.trim() !== now.noun && onChange({ ...now, noun: text.trim() })}
    />
  );
}
