/** How a file of text is written: the choices, and where it could not be read as it was taken, all of them together. */
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Source } from "../../api/client";
import { Pick } from "../../parts/Fields";
import { type Incoming, lookAgain } from "../../state/incoming";

type Read = (reading: Record<string, unknown>) => void;

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

const TEXT = /\.(csv|tsv|tab|txt|psv|gz)$/i;

/** Is it a file of text, by its name? */
export function isText(name: string): boolean {
  return TEXT.test(name);
}

interface Written {
  value: string | null | undefined;
  /** Nobody has looked yet: it may be left to be found. */
  unseen?: boolean;
  read: Read;
}

const FOUND = ["", "found by looking"] as const;

export function Encoding({ value, unseen, read }: Written) {
  return (
    <Pick
      label="Encoding"
      value={value ?? ""}
      options={[...(unseen ? [FOUND] : []), ...withPresent(ENCODINGS, value)]}
      onChange={(encoding) => read({ encoding: encoding || null, header_row: null })}
    />
  );
}

export function Delimiter({ value, unseen, read }: Written) {
  return (
    <Pick
      label="Between the fields stands a"
      value={value ?? (unseen ? "" : ",")}
      options={[...(unseen ? [FOUND] : []), ...withPresent(DELIMITERS, value)]}
      onChange={(delimiter) => read({ delimiter: delimiter || null, header_row: null })}
    />
  );
}

/** For a file of text that nobody could look into yet: it is looked into anew with what is chosen here. */
export function HowWritten({ file, sources }: { file: Incoming; sources: readonly Source[] }) {
  const { encoding, delimiter, header_row } = (file.asked ?? {}) as {
    encoding?: string | null;
    delimiter?: string | null;
    header_row?: number | null;
  };
  const read: Read = (change) => void lookAgain(file.id, change, sources);
  return (
    <Box component="section" aria-label="How the file is written" sx={{ maxWidth: 400, mb: 2 }}>
      <Encoding value={encoding} unseen read={read} />
      <Delimiter value={delimiter} unseen read={read} />
      <RowOfNames row={header_row ?? null} read={read} />
    </Box>
  );
}

export function RowOfNames({
  row,
  read,
}: {
  row: number | null;
  read: (r: Record<string, unknown>) => void;
}) {
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

function withPresent(
  known: readonly (readonly [string, string])[],
  present: string | null | undefined,
): readonly (readonly [string, string])[] {
  return !present || known.some(([k]) => k === present) ? known : [...known, [present, present]];
}
