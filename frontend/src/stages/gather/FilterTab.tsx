/** The filter, shaded by what is there: values, months, hours of the week, numbers, words. Every change counts at once. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import Typography from "@mui/material/Typography";
import { type ReactNode, useState } from "react";
import type { Condition, Study, Tally, View } from "../../api/client";
import { plural, whole } from "../../format";
import { type Save, useTally } from "../../state/queries";
import { useDoing } from "../../state/store";
import { INK, MADDER, PAPER, QUIET, RULE } from "../../theme";
import { Quiet } from "../parts";
import { Field, Pick } from "./Fields";
import { joined, joint, keptValues, parts, put, says, toggled, weekOf, withWeek } from "./filter";
import { MonthBars } from "./MonthBars";
import { WeekGrid } from "./WeekGrid";

export function FilterTab({ study, view, save }: { study: Study; view: View; save: Save }) {
  const where = view.plan.gather.events.where as Condition[];
  const tally = useTally(study, where);
  const change = (next: Condition[]) =>
    save((plan) => {
      plan.gather.events.where = next;
    });
  if (tally.error) return <Typography sx={{ color: MADDER }}>{tally.error.message}</Typography>;
  if (!tally.data) return <Quiet>Counting…</Quiet>;
  const data = tally.data;
  const labels = view.plan.gather.events.labels as Record<string, string>;
  return (
    <>
      <Box sx={{ fontSize: "1.15rem" }} data-testid="kept">
        {whole(data.kept)} of {plural(data.usable, "event")}
      </Box>
      <Present where={where} change={change} />
      {data.months.length > 1 && (
        <Part title="Months">
          <MonthBars months={data.months} where={where} change={change} />
        </Part>
      )}
      {data.week.some((n) => n > 0) && (
        <Part title="Hours of the week">
          <WeekGrid
            counts={data.week}
            week={weekOf(where)}
            change={(week) => change(withWeek(where, week))}
          />
        </Part>
      )}
      {data.columns.map((column) => (
        <Part key={column.column} title={labels[column.column] ?? column.column}>
          {column.values.length > 0 ? (
            <Values column={column} where={where} change={change} />
          ) : (
            <Range column={column} where={where} change={change} />
          )}
        </Part>
      ))}
      <Words view={view} study={study} where={where} change={change} />
      <Outline where={where} />
    </>
  );
}

interface Changing {
  where: readonly Condition[];
  change: (next: Condition[]) => void;
}

/** The conditions there are: each can be named, rest for a while, or go. */
function Present({ where, change }: Changing) {
  const now = parts(where);
  const how = joint(where);
  const [naming, setNaming] = useState<number | null>(null);
  if (now.length === 0) return <Quiet>Nothing is left out. Tick, paint or drag below.</Quiet>;
  const alter = (at: number, part: Condition) =>
    change(
      joined(
        now.map((c, i) => (i === at ? { ...c, ...part } : c)),
        how,
      ),
    );
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
            onChange={(event) => alter(i, { on: event.target.checked })}
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
                  alter(i, { name: event.target.value.trim() || null });
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
            onClick={() =>
              change(
                joined(
                  now.filter((_, at) => at !== i),
                  how,
                ),
              )
            }
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
              onClick={() => change(joined(now, h))}
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

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box sx={{ mt: 1.5 }}>
      <Box sx={{ borderBottom: `1px solid ${RULE}`, fontWeight: 500 }}>{title}</Box>
      {children}
    </Box>
  );
}

type Column = Tally["columns"][number];

function Values({ column, where, change }: Changing & { column: Column }) {
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
            onChange={() => change(toggled(where, column.column, all, v.value))}
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

function Range({ column, where, change }: Changing & { column: Column }) {
  const like = (c: Condition) => c.kind === "range" && c.column === column.column;
  const now = parts(where).find(like);
  const most = Math.max(...column.bars, 1);
  const set = (part: { low?: number | null; high?: number | null }) => {
    const next = { kind: "range", column: column.column, decimal: column.decimal, ...now, ...part };
    const empty = (next.low ?? null) === null && (next.high ?? null) === null;
    change(put(where, like, empty ? null : next));
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
    </>
  );
}

function End(props: {
  label: string;
  value: number | null;
  hint: number | null;
  onKeep: (n: number | null) => void;
}) {
  const [text, setText] = useState(props.value === null ? "" : String(props.value));
  const keep = () => {
    const n = text.trim() === "" ? null : Number(text.replace(",", "."));
    if (n !== props.value && (n === null || Number.isFinite(n))) props.onKeep(n);
  };
  return (
    <Box onBlur={keep} onKeyDown={(event) => event.key === "Enter" && keep()} sx={{ flex: 1 }}>
      <Field label={props.label} value={text} placeholder={String(props.hint ?? "")} onChange={setText} />
    </Box>
  );
}

function Words({ view, where, change }: Changing & { view: View; study: Study }) {
  const columns = view.columns;
  const [column, setColumn] = useState(columns[0] ?? "");
  const [text, setText] = useState("");
  const add = () =>
    text.trim() && change(put(where, () => false, { kind: "contains", column, text: text.trim() }));
  return (
    <Part title="Words">
      <Pick
        label="In column"
        value={column}
        options={columns.map((c) => [c, c] as const)}
        onChange={setColumn}
      />
      <Box
        component="form"
        sx={{ display: "flex", gap: 1, alignItems: "center" }}
        onSubmit={(event) => {
          event.preventDefault();
          add();
          setText("");
        }}
      >
        <Field label="Contains" value={text} onChange={setText} />
        <Button type="submit" size="small" variant="outlined" disabled={!text.trim()}>
          Add
        </Button>
      </Box>
    </Part>
  );
}

function Outline({ where }: { where: readonly Condition[] }) {
  const { outline, set } = useDoing();
  const there = parts(where).filter((c) => c.kind === "inside").length;
  return (
    <Part title="Inside an outline">
      {outline ? (
        <Typography sx={{ bgcolor: PAPER, fontSize: "0.8125rem", mt: 0.5 }}>
          Click corners on the map; Enter ends the outline, Escape gives it up.{" "}
          {plural(outline.length, "corner")} so far.
        </Typography>
      ) : (
        <Button size="small" sx={{ mt: 0.5 }} variant="outlined" onClick={() => set({ outline: [] })}>
          {there ? "Draw another on the map" : "Draw one on the map"}
        </Button>
      )}
    </Part>
  );
}
