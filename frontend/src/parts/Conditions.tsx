/** What a filter is made of, for events and for the rows of a table: the conditions there are, values, ranges. */

import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import { type ReactNode, useState } from "react";
import type { Tally } from "../api/client";
import { whole } from "../format";
import { altered, type Change, joined, joint, keptValues, parts, put, says, toggled } from "../plan/filter";
import type { Condition } from "../plan/types";
import { INK, QUIET, RULE } from "../theme";
import { DecimalSign } from "./Fields";
import { KeptField } from "./KeptField";
import { Quiet } from "./parts";

export interface Changing {
  where: readonly Condition[];
  change: Change;
}

/** The conditions there are: each can be named, rest for a while, or go. */
export function Present({ where, change }: Changing) {
  const now = parts(where);
  const how = joint(where);
  const [naming, setNaming] = useState<number | null>(null);
  if (now.length === 0) return <Quiet>Nothing is left out. Tick, paint or drag below.</Quiet>;
  const alter = (c: Condition, part: Partial<Pick<Condition, "name" | "on">> | null) =>
    change((w) => altered(w, c, part));
  return (
    <Box sx={{ borderTop: `1px solid ${INK}`, borderBottom: `1px solid ${INK}`, my: 1 }}>
      {now.map((c, i) => (
        <Box
          // biome-ignore lint/suspicious/noArrayIndexKey: conditions are told apart by their place
          key={i}
          sx={{ display: "flex", alignItems: "center", gap: 0.5, color: c.on === false ? QUIET : INK }}
        >
          <Checkbox
            size="small"
            sx={{ p: 0.25 }}
            checked={c.on !== false}
            slotProps={{ input: { "aria-label": `Let “${says(c)}” hold` } }}
            onChange={(event) => alter(c, { on: event.target.checked })}
          />
          {naming === i ? (
            <input
              // biome-ignore lint/a11y/noAutofocus: the field takes the place of the words just chosen
              autoFocus
              defaultValue={c.name ?? ""}
              aria-label="Name of the condition"
              placeholder={says({ ...c, name: null })}
              onBlur={(event) => {
                setNaming(null);
                if ((event.target.value.trim() || null) !== (c.name ?? null))
                  alter(c, { name: event.target.value.trim() || null });
              }}
              onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
              style={{ flex: 1, font: "inherit", minWidth: 0 }}
            />
          ) : (
            <ButtonBase
              title="Give it a name"
              onClick={() => setNaming(i)}
              sx={{ font: "inherit", flex: 1, justifyContent: "flex-start", textAlign: "left" }}
            >
              {says(c)}
            </ButtonBase>
          )}
          <ButtonBase
            aria-label={`Take out “${says(c)}”`}
            sx={{ font: "inherit", px: 0.75 }}
            onClick={() => alter(c, null)}
          >
            ×
          </ButtonBase>
        </Box>
      ))}
      {now.length > 1 && (
        <Box
          sx={{ display: "flex", gap: 2, py: 0.5, fontSize: "0.8125rem" }}
          role="group"
          aria-label="How they join"
        >
          {(["all", "any"] as const).map((h) => (
            <ButtonBase
              key={h}
              aria-pressed={h === how}
              onClick={() => change((w) => joined(parts(w), h))}
              sx={{ font: "inherit", borderBottom: h === how ? `2px solid ${INK}` : "2px solid transparent" }}
            >
              {h === "all" ? "all must hold" : "one is enough"}
            </ButtonBase>
          ))}
        </Box>
      )}
    </Box>
  );
}

export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box sx={{ mt: 1.5 }}>
      <Box sx={{ borderBottom: `1px solid ${RULE}`, fontWeight: 500 }}>{title}</Box>
      {children}
    </Box>
  );
}

type Column = Tally["columns"][number];

export function Values({ column, where, change }: Changing & { column: Column }) {
  const kept = keptValues(where, column.column);
  const all = column.values.map((v) => v.value);
  return (
    <>
      {column.values.map((v) => (
        <Box
          key={v.value}
          component="label"
          sx={{ display: "flex", alignItems: "center", cursor: "pointer" }}
        >
          <Checkbox
            size="small"
            sx={{ p: 0.25, mr: 0.5 }}
            checked={kept?.has(v.value) ?? false}
            onChange={() => change((w) => toggled(w, column.column, all, v.value))}
          />
          <Box
            component="span"
            sx={{ flex: 1, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}
          >
            {v.value || "blank"}
          </Box>
          <span>{whole(v.events)}</span>
        </Box>
      ))}
    </>
  );
}

export function Range({ column, where, change }: Changing & { column: Column }) {
  const like = (c: Condition) => c.kind === "range" && c.column === column.column;
  const range = (w: readonly Condition[]) => {
    const found = parts(w).find(like);
    return found?.kind === "range" ? found : undefined;
  };
  const now = range(where);
  const most = Math.max(...column.bars, 1);
  const [sign, setSign] = useState(now?.decimal ?? (column.decimal as "." | ","));
  const set = (part: { low?: number | null; high?: number | null; decimal?: "." | "," }) => {
    change((w) => {
      const { low = null, high = null, decimal = sign } = { ...range(w), ...part };
      const empty = low === null && high === null;
      return put(w, like, empty ? null : { kind: "range", column: column.column, low, high, decimal });
    });
  };
  return (
    <>
      <Box aria-hidden sx={{ display: "flex", alignItems: "flex-end", gap: "1px", height: 30, mt: 0.5 }}>
        {column.bars.map((n, i) => (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: bars stand in order
            key={i}
            sx={{ flex: 1, bgcolor: INK, opacity: 0.7 }}
            style={{ height: `${(100 * n) / most}%` }}
          />
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1 }}>
        <End label="From" value={now?.low ?? null} hint={column.low} onKeep={(low) => set({ low })} />
        <End label="To" value={now?.high ?? null} hint={column.high} onKeep={(high) => set({ high })} />
      </Box>
      {column.says && (
        <>
          <Quiet>{column.says}</Quiet>
          <DecimalSign
            value={sign}
            onChange={(decimal) => {
              if (decimal) setSign(decimal);
              if (now && decimal) set({ decimal });
            }}
          />
        </>
      )}
    </>
  );
}

function End(props: {
  label: string;
  value: number | null;
  hint: number | null;
  onKeep: (n: number | null) => void;
}) {
  const number = (text: string) => (text.trim() === "" ? null : Number(text.replace(",", ".")));
  return (
    <KeptField
      label={props.label}
      value={props.value === null ? "" : String(props.value)}
      placeholder={String(props.hint ?? "")}
      check={(text) => (Number.isFinite(number(text) ?? 0) ? null : { says: "Give a number, or nothing." })}
      onKeep={(text) => props.onKeep(number(text))}
    />
  );
}
