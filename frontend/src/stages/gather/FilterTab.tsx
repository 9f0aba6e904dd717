/** The filter, shaded by what is there: values, months, hours of the week, numbers, words. Every change counts at once. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Tally, View } from "../../api/client";
import { plural, whole } from "../../format";
import { Answer } from "../../parts/Answer";
import { Part, Present, Range, Values } from "../../parts/Conditions";
import { Field, Pick } from "../../parts/Fields";
import { type Change, parts, put, weekOf, withWeek } from "../../plan/filter";
import { mappedEvents } from "../../plan/mapped";
import type { Condition } from "../../plan/types";
import { type Save, useTally } from "../../state/queries";
import { useParts } from "../../state/store";
import { MonthBars } from "./MonthBars";
import { WeekGrid } from "./WeekGrid";

export function FilterTab({ view, save }: { view: View; save: Save }) {
  const where = mappedEvents(view.plan).where;
  return (
    <Answer of={useTally(view, where)} awaited="Counting…">
      {(tally) => <Filter view={view} save={save} tally={tally} />}
    </Answer>
  );
}

function Filter({ view, save, tally: data }: { view: View; save: Save; tally: Tally }) {
  const where = mappedEvents(view.plan).where;
  const change: Change = (alter) =>
    save((plan) => {
      mappedEvents(plan).where = alter(mappedEvents(plan).where);
    });
  const labels = mappedEvents(view.plan).labels;
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
            change={(week) => change((w) => withWeek(w, week))}
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
      <Words view={view} change={change} />
      <Outline where={where} />
    </>
  );
}

function Words({ view, change }: { view: View; change: Change }) {
  const columns = view.columns;
  const [column, setColumn] = useState(columns[0] ?? "");
  const [text, setText] = useState("");
  const add = () =>
    text.trim() && change((w) => put(w, () => false, { kind: "contains", column, text: text.trim() }));
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
  const { outline, outlineFor, set } = useParts("outline", "outlineFor", "set");
  const there = parts(where).filter((c) => c.kind === "inside").length;
  return (
    <Part title="Inside an outline">
      {outline && outlineFor === "filter" ? (
        <Typography sx={{ fontSize: "0.8125rem", mt: 0.5 }}>
          Click corners on the map; Enter ends the outline, Escape gives it up.{" "}
          {plural(outline.length, "corner")} so far.
        </Typography>
      ) : (
        <Button
          size="small"
          sx={{ mt: 0.5 }}
          variant="outlined"
          onClick={() => set({ outline: [], outlineFor: "filter" })}
        >
          {there ? "Draw another on the map" : "Draw one on the map"}
        </Button>
      )}
    </Part>
  );
}
