import type { Look, Source } from "../../api/client";
import { DecimalSign, Field, Pick } from "../../parts/Fields";
import { Quiet, Unfold } from "../../parts/parts";
import { SystemField } from "../../parts/SystemField";
import { asksDecimal, asksSystem, type Choices, FACTS, ofEvents, ROLES, rolesFor } from "../../plan/choices";
import { type Incoming, lookAgain, useIncoming } from "../../state/incoming";
import { Alike } from "./AllFiles";
import { Delimiter, Encoding, RowOfNames } from "./HowWritten";
import { PeriodsForm } from "./PeriodsForm";
import { WhenForm } from "./WhenForm";
import { WhereForm } from "./WhereForm";

interface Props {
  file: Incoming;
  look: Look;
  choices: Choices;
  sources: readonly Source[];
}

export function ChoicesForm({ file, look, choices, sources }: Props) {
  const choose = useIncoming((s) => s.choose);
  const set = (change: Partial<Choices>) => choose(file.id, change);
  const taken = sources.map((s) => s.name);
  const read = (change: Record<string, unknown>) => void lookAgain(file.id, change, sources);
  const roles = rolesFor(look);
  return (
    <>
      <Field
        label="What we call it"
        value={choices.name}
        disabled={file.again}
        onChange={(name) => set({ name, replaces: choices.replaces && taken.includes(name) })}
      />
      <Pick
        label="What it is"
        value={choices.role}
        options={ROLES.filter(([r]) => roles.includes(r))}
        onChange={(role) => set({ role })}
      />
      {choices.alike && <Alike choices={choices} set={set} />}
      {!file.again && !choices.alike && sources.some((s) => s.role === choices.role) && (
        <Pick
          label="Beside the others, or in the place of one"
          value={choices.replaces ? choices.name : ""}
          options={[
            ["", "beside the study's other files"],
            ...sources
              .filter((s) => s.role === choices.role)
              .map((s) => [s.name, `in the place of “${s.name}”`] as const),
          ]}
          onChange={(name) =>
            set(name ? { name, replaces: true } : { name: `${choices.name} (new)`, replaces: false })
          }
        />
      )}
      {asksSystem(look) && (
        <SystemField
          label="Coordinate system of the file"
          value={null}
          near={file.taken?.systems ?? look.systems}
          focused
          onChange={(crs) => read({ crs })}
        />
      )}
      {ofEvents(choices.role) && (file.again || !choices.replaces) && (
        <>
          {choices.role === "counts" && (
            <Pick
              label="Number of events"
              value={choices.number ?? ""}
              options={[["", "in which column?"], ...look.columns.map((c) => [c.name, c.name] as const)]}
              onChange={(c) => set({ number: c || null, numberDecimal: null })}
            />
          )}
          {choices.role === "counts" && choices.number && (
            <NumberWriting look={look} choices={choices} set={set} />
          )}
          <WhereForm look={look} choices={choices} set={set} read={read} />
          <WhenForm look={look} choices={choices} set={set} />
          <Pick
            label="Identifier"
            value={choices.identifier ?? ""}
            options={[["", "none: number the rows"], ...look.columns.map((c) => [c.name, c.name] as const)]}
            onChange={(c) => set({ identifier: c || null })}
          />
        </>
      )}
      <Unfold title="How the file is written">
        {look.choices.length > 0 && (
          <Pick
            label={look.kind === "workbook" ? "Worksheet" : "Table in the file"}
            value={
              (look.kind === "workbook" ? look.reading.worksheet : look.reading.layer) ?? look.choices[0]
            }
            options={look.choices.map((c) => [c, c] as const)}
            onChange={(c) =>
              read(look.kind === "workbook" ? { worksheet: c, header_row: null } : { layer: c })
            }
          />
        )}
        {look.kind === "text" && (
          <>
            <Encoding value={look.reading.encoding} read={read} />
            <Delimiter value={look.reading.delimiter} read={read} />
          </>
        )}
        {(look.kind === "text" || look.kind === "workbook") && (
          <RowOfNames key={look.reading.header_row} row={look.reading.header_row ?? null} read={read} />
        )}
        {look.kind === "vector" && !asksSystem(look) && (
          <SystemField
            label="Coordinate system, where the file names none"
            value={look.reading.crs ?? null}
            near={[]}
            onChange={(crs) => read({ crs })}
          />
        )}
        {look.kind === "parquet" && <Quiet>The file says all of it itself.</Quiet>}
      </Unfold>
      {ofEvents(choices.role) && (
        <Unfold title="Readable names of columns">
          {look.columns.map((c) => (
            <Field
              key={c.name}
              label={c.name}
              value={choices.labels[c.name] ?? ""}
              onChange={(text) => set({ labels: { ...choices.labels, [c.name]: text } })}
            />
          ))}
        </Unfold>
      )}
      <Unfold title="What is known of it">
        {FACTS.map(([key, label]) => (
          <Field
            key={key}
            label={label}
            value={choices.facts[key] ?? ""}
            onChange={(text) => set({ facts: { ...choices.facts, [key]: text } })}
          />
        ))}
        {ofEvents(choices.role) && <PeriodsForm choices={choices} set={set} />}
      </Unfold>
    </>
  );
}

/** How the numbers of events are written; asked where the column does not tell. */
function NumberWriting({
  look,
  choices,
  set,
}: {
  look: Look;
  choices: Choices;
  set: (change: Partial<Choices>) => void;
}) {
  const column = look.columns.find((c) => c.name === choices.number);
  if (!column?.evidence) return null;
  return (
    <>
      <Quiet>{column.evidence}</Quiet>
      {asksDecimal(look, choices) && (
        <DecimalSign
          open
          value={choices.numberDecimal ?? ""}
          onChange={(numberDecimal) => set({ numberDecimal })}
        />
      )}
    </>
  );
}
