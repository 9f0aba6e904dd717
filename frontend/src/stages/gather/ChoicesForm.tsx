/** The choices for one file, all guessed first. The common ones stand open; the rest unfold. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import { type ReactNode, useState } from "react";
import type { Look, Source } from "../../api/client";
import { DecimalSign, Field, Pick } from "../../parts/Fields";
import { Quiet } from "../../parts/parts";
import { SystemField } from "../../parts/SystemField";
import {
  asksDecimal,
  type Choices,
  type DraftCoordinates,
  FACTS,
  ORDERS,
  type Order,
  ofEvents,
  others,
  ROLES,
  rolesFor,
  type Time,
} from "../../plan/choices";
import { type Incoming, lookAgain, useIncoming } from "../../state/incoming";
import { RULE } from "../../theme";

interface Props {
  file: Incoming;
  look: Look;
  choices: Choices;
  sources: readonly Source[];
}

const ENCODINGS = [
  ["utf-8", "UTF-8"],
  ["utf-16", "UTF-16"],
  ["cp1252", "Western European (Windows-1252)"],
  ["latin-1", "Western European (ISO 8859-1)"],
  ["cp1250", "Central European (Windows-1250)"],
  ["iso8859_2", "Central European (ISO 8859-2)"],
  ["cp1251", "Cyrillic (Windows-1251)"],
  ["cp1253", "Greek (Windows-1253)"],
  ["cp1254", "Turkish (Windows-1254)"],
] as const;
const DELIMITERS = [
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "upright bar"],
] as const;

export function ChoicesForm({ file, look, choices, sources }: Props) {
  const choose = useIncoming((s) => s.choose);
  const set = (change: Partial<Choices>) => choose(file.id, change);
  const taken = sources.map((s) => s.name);
  const read = (change: Record<string, unknown>) => void lookAgain(file.id, change, taken);
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
      {!file.again && sources.some((s) => s.role === choices.role) && (
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
          <Where look={look} choices={choices} set={set} read={read} />
          <When look={look} choices={choices} set={set} />
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
            <Pick
              label="Encoding"
              value={look.reading.encoding ?? ""}
              options={withPresent(ENCODINGS, look.reading.encoding)}
              onChange={(encoding) => read({ encoding, header_row: null })}
            />
            <Pick
              label="Between the fields stands a"
              value={look.reading.delimiter ?? ","}
              options={withPresent(DELIMITERS, look.reading.delimiter)}
              onChange={(delimiter) => read({ delimiter, header_row: null })}
            />
          </>
        )}
        {(look.kind === "text" || look.kind === "workbook") && (
          <RowOfNames key={look.reading.header_row} row={look.reading.header_row ?? null} read={read} />
        )}
        {look.kind === "vector" && (
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
        {ofEvents(choices.role) && <Windows choices={choices} set={set} />}
      </Unfold>
    </>
  );
}

type Set = (change: Partial<Choices>) => void;
const NOWHERE = JSON.stringify({ kind: "none" });

function Where(props: {
  look: Look;
  choices: Choices;
  set: Set;
  read: (r: Record<string, unknown>) => void;
}) {
  const { look, choices, set, read } = props;
  const at = choices.coordinates;
  const columns = look.columns.map((c) => [c.name, c.name] as const);
  const guessed = look.coordinates.map((c) => JSON.stringify(placeOnly(c)));
  const now = at ? JSON.stringify(placeOnly(at)) : "";
  const kinds = [
    ...look.coordinates.map((c, i) => [guessed[i], placeSays(c)] as const),
    ...(guessed.includes(now) || !at ? [] : [[now, placeSays(at)] as const]),
    ["columns", "two columns that I choose"] as const,
    ["pair", "one column with both"] as const,
    ["point text", "one column with POINT (x y)"] as const,
    ...(now === NOWHERE ? [] : [[NOWHERE, placeSays({ kind: "none" })] as const]),
  ];
  const change = (value: string) => {
    const first = look.columns[0]?.name ?? "";
    const found = look.coordinates[guessed.indexOf(value)];
    const crs = at && at.kind !== "none" ? at.crs : null;
    if (found)
      set({
        coordinates: {
          ...(found as unknown as DraftCoordinates),
          crs: (found.crs as string | null) ?? crs,
        } as DraftCoordinates,
      });
    else if (value === NOWHERE) set({ coordinates: { kind: "none" } });
    else if (value === "columns")
      set({ coordinates: { kind: "columns", x: first, y: first, decimal: ".", crs } });
    else if (value === "pair")
      set({
        coordinates: { kind: "pair", column: first, order: "lat-lon", decimal: ".", crs: crs ?? "EPSG:4326" },
      });
    else if (value === "point text") set({ coordinates: { kind: "point text", column: first, crs } });
  };
  const put = (part: Record<string, string | null>) =>
    set({ coordinates: { ...at, ...part } as DraftCoordinates });
  return (
    <>
      <Pick
        label="Where it was"
        value={now}
        options={at ? kinds : [["", "not found"], ...kinds]}
        onChange={change}
      />
      {at?.kind === "columns" && !guessed.includes(now) && (
        <Box sx={{ display: "flex", gap: 1 }}>
          <Pick label="East" value={at.x ?? ""} options={columns} onChange={(x) => put({ x })} />
          <Pick label="North" value={at.y ?? ""} options={columns} onChange={(y) => put({ y })} />
        </Box>
      )}
      {(at?.kind === "pair" || at?.kind === "point text") && !guessed.includes(now) && (
        <Pick
          label="Column"
          value={at.column ?? ""}
          options={columns}
          onChange={(column) => put({ column })}
        />
      )}
      {at?.kind === "pair" && (
        <Pick
          label="Which comes first"
          value={at.order ?? "lat-lon"}
          options={[
            ["lat-lon", "north first (latitude, longitude)"],
            ["lon-lat", "east first (longitude, latitude)"],
          ]}
          onChange={(order) => put({ order })}
        />
      )}
      <Pick
        label={
          at?.kind === "none" ? "The area's code or name stands in" : "The record's own area, if it says one"
        }
        value={choices.stated ?? ""}
        options={[["", at?.kind === "none" ? "in which column?" : "no column"], ...columns]}
        onChange={(stated) => set({ stated: stated || null })}
      />
      {at && at.kind !== "none" && (
        <SystemField
          label="Coordinate system"
          value={at.crs}
          near={look.systems}
          onChange={(crs) => put({ crs })}
        />
      )}
      {others(look) > 0 && (
        <FormControlLabel
          control={
            <Checkbox
              size="small"
              checked={look.reading.inside ?? false}
              onChange={(event) => read({ inside: event.target.checked })}
            />
          }
          label="Take a point inside each line, polygon or group of points as the event"
        />
      )}
    </>
  );
}

function When({ look, choices, set }: { look: Look; choices: Choices; set: Set }) {
  const time = choices.time;
  const put = (part: Partial<Time>) => set({ time: { ...time!, ...part } });
  const columns = look.columns.map((c) => [c.name, c.name] as const);
  const evidence = look.times.find((t) => t.column === time?.column)?.evidence;
  const change = (column: string) => {
    const found = look.times.find((t) => t.column === column);
    if (!column) set({ time: null });
    else
      set({
        time: {
          column,
          order: found ? (found.order as Time["order"]) : "year-first",
          clock: found?.clock ?? null,
          until: found?.until ?? null,
          take: "from",
          zone: time?.zone ?? null,
        },
      });
  };
  return (
    <>
      <Pick
        label="When it was"
        value={time?.column ?? ""}
        options={[["", "not known"], ...columns]}
        onChange={change}
      />
      {time && (
        <>
          <Pick<Order | "">
            label="The date is written"
            value={time.order ?? ""}
            options={time.order ? ORDERS : [["", "day or month first?"], ...ORDERS]}
            onChange={(order) => put({ order: order || null })}
          />
          {evidence && <Quiet>{sentence(evidence)}</Quiet>}
          <Unfold title="More of the time" open={Boolean(time.clock || time.until)}>
            <Box sx={{ display: "flex", gap: 1 }}>
              <Pick
                label="Time of day in"
                value={time.clock ?? ""}
                options={[["", "the same column"], ...columns]}
                onChange={(clock) => put({ clock: clock || null })}
              />
              <Pick
                label="Until"
                value={time.until ?? ""}
                options={[["", "a moment, no span"], ...columns]}
                onChange={(until) => put({ until: until || null })}
              />
            </Box>
            {time.until && (
              <Pick
                label="Of the span we take"
                value={time.take}
                options={[
                  ["from", "its beginning"],
                  ["middle", "its middle"],
                  ["until", "its end"],
                ]}
                onChange={(take) => put({ take: take as Time["take"] })}
              />
            )}
            <Field
              label="Time zone of the study, for stamps with an offset"
              value={time.zone ?? ""}
              placeholder="Atlantic/Azores"
              onChange={(zone) => put({ zone: zone.trim() || null })}
            />
          </Unfold>
        </>
      )}
    </>
  );
}

function Windows({ choices, set }: { choices: Choices; set: Set }) {
  const put = (at: number, part: object) =>
    set({ recorded: choices.recorded.map((w, i) => (i === at ? { ...w, ...part } : w)) });
  return (
    <>
      <Quiet>Periods in which events were recorded; rates divide by them.</Quiet>
      {choices.recorded.map((w, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: windows have no other name while they are typed
        <Box key={i} sx={{ display: "flex", gap: 0.75, alignItems: "center" }}>
          <Field label="Called" value={w.name} onChange={(name) => put(i, { name })} />
          <Field
            label="First day"
            type="date"
            value={w.first_day}
            onChange={(d) => put(i, { first_day: d })}
          />
          <Field label="Last day" type="date" value={w.last_day} onChange={(d) => put(i, { last_day: d })} />
          <Button
            size="small"
            aria-label={`Take out period ${i + 1}`}
            sx={{ minWidth: 28 }}
            onClick={() => set({ recorded: choices.recorded.filter((_, at) => at !== i) })}
          >
            ×
          </Button>
        </Box>
      ))}
      <Button
        size="small"
        onClick={() => set({ recorded: [...choices.recorded, { name: "", first_day: "", last_day: "" }] })}
      >
        Add a period
      </Button>
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

function RowOfNames({ row, read }: { row: number | null; read: (r: Record<string, unknown>) => void }) {
  const [text, setText] = useState(row === null ? "" : String(row));
  const number = Number(text);
  const sound = text === "" || (Number.isInteger(number) && number >= 0);
  return (
    <TextField
      fullWidth
      size="small"
      margin="dense"
      label="Row of the column names (0: none)"
      placeholder="found by looking"
      value={text}
      error={!sound}
      helperText={sound ? undefined : "a whole number"}
      slotProps={{ inputLabel: { shrink: true } }}
      onChange={(event) => setText(event.target.value)}
      onBlur={() => sound && read({ header_row: text === "" ? null : number })}
      onKeyDown={(event) =>
        event.key === "Enter" && sound && read({ header_row: text === "" ? null : number })
      }
    />
  );
}

function Unfold({ title, open, children }: { title: string; open?: boolean; children: ReactNode }) {
  return (
    <Box component="details" open={open} sx={{ mt: 2, borderTop: `1px solid ${RULE}`, pt: 1 }}>
      <Box component="summary" sx={{ cursor: "pointer", fontWeight: 500 }}>
        {title}
      </Box>
      {children}
    </Box>
  );
}

function placeOnly(at: Record<string, unknown>): Record<string, unknown> {
  const { crs: _crs, decimal: _decimal, order: _order, ...rest } = at;
  return rest;
}

function placeSays(at: Record<string, unknown>): string {
  if (at.kind === "columns") return `${at.x} and ${at.y}`;
  if (at.kind === "geometry") return "the file's own points";
  if (at.kind === "none") return "in the area that the record states";
  return String(at.column);
}

function sentence(text: string): string {
  return `${text[0].toUpperCase()}${text.slice(1)}.`;
}

function withPresent(
  known: readonly (readonly [string, string])[],
  present: string | null | undefined,
): readonly (readonly [string, string])[] {
  return !present || known.some(([k]) => k === present) ? known : [...known, [present, present]];
}
