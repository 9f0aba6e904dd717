/** Rows rise from the foot: areas, the events of the selected area, the records set aside. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useMemo, useRef, useState } from "react";
import { type Areas, resultsOf } from "../api/bulk";
import type { Study, View } from "../api/client";
import { figure, plural, whole } from "../format";
import { termOf } from "../outcome/terms";
import { STATE_WORDS } from "../outcome/words";
import { Field, Pick } from "../parts/Fields";
import { mappedEvents } from "../plan/mapped";
import {
  useAreaColumns,
  useAreaEvents,
  useDisagreeing,
  useOutside,
  usePlacedEvents,
  useSavePlan,
  useSetAside,
} from "../state/queries";
import { type RowsTab, useDoing, useParts } from "../state/store";
import { INK, MADDER, PAPER, QUIET, RULE } from "../theme";
import { unit } from "../unit";

const HEIGHT = Math.min(252 * unit, 0.42 * window.innerHeight);
const ROW = 27 * unit;
const TABS: RowsTab[] = ["areas", "placed", "events", "outside", "labels", "set aside"];
/** Tables that stand here only while they are looked at. */
const PASSING: RowsTab[] = ["outside", "labels"];

export function RowsDrawer({ study, view, areas }: { study: Study; view: View; areas: Areas }) {
  const { rows, selected, reason, set } = useParts("rows", "selected", "reason", "set");
  const aside = view.ledger.stages.reduce((n, s) => n + s.records_set_aside, 0);
  const label = {
    areas: `${plural(view.ledger.areas.read, "area")}`,
    placed: `${whole(view.ledger.stages[1].records_out)} placed`,
    outside: "in no area",
    labels: "in another area than they state",
    events: selected === null ? "events of the selected area" : `events in ${areas.name[selected]}`,
    "set aside": `${whole(aside)} set aside`,
  };
  return (
    <Box
      component="section"
      aria-label="Rows"
      sx={{ borderTop: `3px double ${INK}`, bgcolor: PAPER, flexShrink: 0, zIndex: 4 }}
    >
      <Box
        sx={{ display: "flex", gap: 2.5, px: 2, minHeight: "2rem", flexWrap: "wrap", alignItems: "center" }}
        role="group"
        aria-label="Which rows"
      >
        {TABS.filter((tab) => !PASSING.includes(tab) || tab === rows).map((tab) => (
          <ButtonBase
            key={tab}
            aria-pressed={rows === tab}
            onClick={() => set({ rows: rows === tab ? null : tab, reason: null })}
            sx={{
              font: "inherit",
              borderBottom: rows === tab ? `2px solid ${INK}` : "2px solid transparent",
            }}
          >
            {label[tab]}
          </ButtonBase>
        ))}
        {rows === "set aside" && reason && (
          <Box sx={{ color: QUIET }}>
            {reason.replaceAll("_", " ")} only{" "}
            <ButtonBase
              onClick={() => set({ reason: null })}
              sx={{ font: "inherit", textDecoration: "underline" }}
            >
              show all
            </ButtonBase>
          </Box>
        )}
        <Box sx={{ flexGrow: 1 }} />
        {rows === "set aside" && (
          <Box
            component="a"
            href={`${resultsOf(view)}/set-aside.csv${reason ? `?reason=${encodeURIComponent(reason)}` : ""}`}
            download
            sx={{ color: INK }}
          >
            save as CSV
          </Box>
        )}
        <ButtonBase onClick={() => set({ rows: rows ? null : "areas" })} sx={{ font: "inherit" }}>
          {rows ? "lower the rows" : "raise the rows"}
        </ButtonBase>
      </Box>
      {rows === "areas" && <AreaRows view={view} areas={areas} />}
      {rows === "placed" && <PlacedRows view={view} />}
      {rows === "outside" && <OutsideRows view={view} />}
      {rows === "labels" && <DisagreeingRows view={view} />}
      {rows === "events" && <EventRows view={view} areas={areas} area={selected} />}
      {rows === "set aside" && <SetAsideRows study={study} view={view} reason={reason} />}
    </Box>
  );
}

interface Column {
  title: string;
  /** A share of the width. */
  share: number;
  number?: boolean;
}

interface Sorting {
  column: number;
  down: boolean;
}

type Cell = string | number | null;

function AreaRows({ view, areas }: { view: View; areas: Areas }) {
  const { hovered, selected, set } = useParts("hovered", "selected", "set");
  const under = termOf(view, "under");
  const columns: Column[] = [
    { title: "area", share: 2 },
    { title: "name", share: 3 },
    { title: view.terms[0].says, share: 1, number: true },
    ...(under ? [{ title: under.says, share: 1, number: true }] : []),
    { title: view.value_name, share: 3, number: true },
  ];
  const cells = useMemo(
    () =>
      areas.name.map((name, i): Cell[] => [
        areas.identifier[i],
        name,
        areas.numerator[i],
        ...(under ? [Number.isNaN(areas.denominator[i]) ? null : areas.denominator[i]] : []),
        Number.isNaN(areas.value[i]) ? STATE_WORDS[areas.state[i]] : areas.value[i],
      ]),
    [areas, under],
  );
  return (
    <Grid
      label="Areas"
      columns={columns}
      rows={cells}
      first={{ column: columns.length - 1, down: true }}
      marked={[hovered, selected]}
      onHover={(row) => set({ hovered: row })}
      onChoose={(row) => set({ selected: row })}
    />
  );
}

function EventRows(props: { view: View; areas: Areas; area: number | null }) {
  const { view, areas, area } = props;
  const events = useAreaEvents(view, area);
  if (area === null)
    return <Say text="Choose an area on the map or among the areas; its events are shown here." />;
  if (events.error) return <Say text={events.error.message} bad />;
  if (!events.data) return <Say text="Looking them up…" />;
  const columns = events.data.columns.map(
    (title, i): Column => ({ title: labelled(view, title), share: i < 2 ? 1 : 2, number: i < 2 }),
  );
  const { total, rows } = events.data;
  return (
    <>
      <Box sx={{ display: "flex", gap: 2, px: 2, color: QUIET }}>
        {total > rows.length
          ? `The first ${whole(rows.length)} of ${plural(total, "event")}; the file has them all.`
          : plural(total, "event")}
        <Box
          component="a"
          href={`${resultsOf(view)}/events/file?area=${encodeURIComponent(areas.identifier[area])}`}
          download
          sx={{ color: INK }}
        >
          save as CSV
        </Box>
      </Box>
      <Grid label="Events" columns={columns} rows={rows} />
    </>
  );
}

/** The placed events, all or those of the areas that have a text in a column. */
function PlacedRows({ view }: { view: View }) {
  const columns = useAreaColumns(view).data ?? [];
  const of = view.plan.place.areas;
  const wholeZones = of.kind === "zones" && of.overlaps === "each";
  const rolled = of.kind === "zones" ? of.roll_up : null;
  const offered = wholeZones ? columns.filter((c) => !rolled || c.column === rolled) : [];
  const [column, setColumn] = useState("");
  const [value, setValue] = useState("");
  const chosen = offered.find((c) => c.column === column);
  const filter =
    chosen && value ? `&column=${encodeURIComponent(column)}&value=${encodeURIComponent(value)}` : "";
  const found = usePlacedEvents(view, filter);
  if (found.error) return <Say text={found.error.message} bad />;
  if (!found.data) return <Say text="Looking them up…" />;
  const { total, rows } = found.data;
  return (
    <>
      <Box sx={{ display: "flex", gap: 2, px: 2, alignItems: "center", borderTop: `1px solid ${RULE}` }}>
        {offered.length > 0 && (
          <>
            <Box sx={{ width: 200 }}>
              <Pick
                label="Whose area has in"
                value={column}
                options={[["", "any column"], ...offered.map((c) => [c.column, c.column] as const)]}
                onChange={(c) => {
                  setColumn(c);
                  setValue("");
                }}
              />
            </Box>
            {chosen && (
              <Box sx={{ width: 200 }}>
                <Pick
                  label="The text"
                  value={value}
                  options={[
                    ["", "any"],
                    ...Object.keys(chosen.values as Record<string, number>).map(
                      (v) => [v, v || "blank"] as const,
                    ),
                  ]}
                  onChange={setValue}
                />
              </Box>
            )}
          </>
        )}
        <Box sx={{ color: QUIET }}>
          {total > rows.length
            ? `The first ${whole(rows.length)} of ${plural(total, "event")}; the file has them all.`
            : plural(total, "event")}
        </Box>
        <Box
          component="a"
          href={`${resultsOf(view)}/events/file?${filter.slice(1)}`}
          download
          sx={{ color: INK }}
        >
          save as CSV
        </Box>
      </Box>
      <Table label="Placed events" view={view} found={found.data} numbers={["record", "line"]} />
    </>
  );
}

function OutsideRows({ view }: { view: View }) {
  const found = useOutside(view);
  if (found.error) return <Say text={found.error.message} bad />;
  if (!found.data) return <Say text="Looking them up…" />;
  if (!found.data.total) return <Say text="Every event that has a place lies in an area." />;
  return <Table label="Events in no area" view={view} found={found.data} numbers={["record", "metres"]} />;
}

function DisagreeingRows({ view }: { view: View }) {
  const found = useDisagreeing(view);
  if (found.error) return <Say text={found.error.message} bad />;
  if (!found.data) return <Say text="Looking them up…" />;
  return <Table label="Events in another area" view={view} found={found.data} numbers={["record"]} />;
}

function Table(props: {
  label: string;
  view: View;
  found: { columns: string[]; rows: Cell[][] };
  numbers: string[];
}) {
  const { found, numbers } = props;
  const columns = found.columns.map(
    (title): Column => ({
      title: labelled(props.view, title),
      share: numbers.includes(title) ? 1.4 : 2,
      number: numbers.includes(title),
    }),
  );
  return <Grid key={props.label} label={props.label} columns={columns} rows={found.rows} />;
}

function SetAsideRows({ study, view, reason }: { study: Study; view: View; reason: string | null }) {
  const set = useDoing((d) => d.set);
  const correcting = useDoing((d) => d.correcting);
  const found = useSetAside(view, reason, true);
  if (found.error) return <Say text={found.error.message} bad />;
  if (!found.data) return <Say text="Looking them up…" />;
  const skipped = found.data.columns.indexOf("reason");
  const keep = <T,>(row: T[]) => row.filter((_, i) => i !== skipped);
  const columns = keep(found.data.columns).map(
    (title): Column => ({
      title: labelled(view, title),
      share: title === "says" ? 4 : title === "record" || title === "line" ? 1 : 2,
      number: title === "record" || title === "line",
    }),
  );
  const identifier = found.data.columns.indexOf(mappedEvents(view.plan).identifier ?? "");
  const record = found.data.columns.indexOf("record");
  const all = found.data.rows;
  const name = (row: Cell[]) => {
    const own = identifier < 0 ? "" : String(row[identifier] ?? "").trim();
    return own || (mappedEvents(view.plan).identifier ? `record ${row[record]}` : String(row[record]));
  };
  return (
    <>
      {correcting && <Correction key={correcting} study={study} view={view} record={correcting} />}
      <Grid
        label="Records set aside"
        columns={columns}
        rows={all.map(keep)}
        marked={[correcting === null ? null : all.findIndex((row) => name(row) === correcting)]}
        onChoose={(row) => set({ correcting: name(all[row]), corrected: null })}
      />
    </>
  );
}

/** The place of one record by the user's word: typed, or clicked on the map. It goes into the plan, not the file. */
function Correction({ study, view, record }: { study: Study; view: View; record: string }) {
  const { corrected, set } = useParts("corrected", "set");
  const save = useSavePlan(study, view);
  const [lon, setLon] = useState("");
  const [lat, setLat] = useState("");
  const [x, y] = [Number(lon || corrected?.[0]), Number(lat || corrected?.[1])];
  const sound =
    (lon || corrected) &&
    (lat || corrected) &&
    x >= -180 &&
    x <= 360 &&
    y >= -90 &&
    y <= 90 &&
    Number.isFinite(x + y);
  const keep = () => {
    save.mutate((plan) => {
      const others = mappedEvents(plan).corrections.filter((c: { record: string }) => c.record !== record);
      mappedEvents(plan).corrections = [...others, { record, x, y }];
    });
    set({ correcting: null, corrected: null });
  };
  return (
    <Box
      component="form"
      aria-label="Place of the record"
      onSubmit={(event) => {
        event.preventDefault();
        if (sound) keep();
      }}
      sx={{
        display: "flex",
        gap: 1.5,
        alignItems: "center",
        px: 2,
        borderTop: `1px solid ${RULE}`,
        flexWrap: "wrap",
      }}
    >
      <Box sx={{ flexShrink: 0 }}>Where was {record}? Click the map, or type it.</Box>
      <Box sx={{ width: 150 }}>
        <Field label="Longitude" value={lon || (corrected?.[0].toFixed(6) ?? "")} onChange={setLon} />
      </Box>
      <Box sx={{ width: 150 }}>
        <Field label="Latitude" value={lat || (corrected?.[1].toFixed(6) ?? "")} onChange={setLat} />
      </Box>
      <Button type="submit" size="small" variant="outlined" disabled={!sound}>
        Keep this place
      </Button>
      <Button size="small" onClick={() => set({ correcting: null, corrected: null })}>
        Leave it aside
      </Button>
    </Box>
  );
}

/** A column by its readable name, where it has one. */
function labelled(view: View, column: string): string {
  return mappedEvents(view.plan).labels[column] ?? column;
}

function Say({ text, bad = false }: { text: string; bad?: boolean }) {
  return <Box sx={{ height: HEIGHT, p: 2, color: bad ? MADDER : QUIET }}>{text}</Box>;
}

function Grid(props: {
  label: string;
  columns: Column[];
  rows: Cell[][];
  first?: Sorting;
  marked?: (number | null)[];
  onHover?: (row: number | null) => void;
  onChoose?: (row: number) => void;
}) {
  const { columns, rows, marked = [] } = props;
  const [sorting, setSorting] = useState<Sorting | null>(props.first ?? null);
  const [at, setAt] = useState(0);
  const scroller = useRef<HTMLDivElement>(null);
  const order = useMemo(() => {
    const all = Array.from(rows.keys());
    if (!sorting) return all;
    const { column, down } = sorting;
    return all.sort((a, b) => compare(rows[a][column], rows[b][column], down) || a - b);
  }, [rows, sorting]);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  const template = columns.map((c) => `minmax(0, ${c.share}fr)`).join(" ");
  const onKeyDown = (event: React.KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 8, PageUp: -8 }[event.key];
    if (step) {
      const next = Math.min(Math.max(at + step, 0), rows.length - 1);
      setAt(next);
      virtual.scrollToIndex(next);
      props.onHover?.(order[next]);
      event.preventDefault();
    } else if (event.key === "Enter") props.onChoose?.(order[at]);
  };
  return (
    <Box role="table" aria-label={props.label} aria-rowcount={rows.length + 1} sx={{ fontSize: "0.8125rem" }}>
      <Box
        role="row"
        sx={{
          display: "grid",
          gridTemplateColumns: template,
          columnGap: 2,
          px: 2,
          borderTop: `1px solid ${RULE}`,
          borderBottom: `1px solid ${INK}`,
        }}
      >
        {columns.map((c, i) => (
          <Box
            key={c.title}
            role="columnheader"
            aria-sort={sorting?.column === i ? (sorting.down ? "descending" : "ascending") : "none"}
            sx={{ textAlign: c.number ? "right" : "left", overflow: "hidden" }}
          >
            <ButtonBase
              onClick={() =>
                setSorting({ column: i, down: sorting?.column === i ? !sorting.down : Boolean(c.number) })
              }
              sx={{ font: "inherit", fontWeight: 600, py: 0.5, whiteSpace: "nowrap" }}
            >
              {c.title}
              {sorting?.column === i && (sorting.down ? " ↓" : " ↑")}
            </ButtonBase>
          </Box>
        ))}
      </Box>
      <Box
        ref={scroller}
        role="rowgroup"
        tabIndex={0}
        onKeyDown={onKeyDown}
        onMouseLeave={() => props.onHover?.(null)}
        sx={{ height: HEIGHT - 30 * unit, overflowY: "auto" }}
      >
        <Box sx={{ height: virtual.getTotalSize(), position: "relative" }} role="presentation">
          {virtual.getVirtualItems().map((item) => {
            const row = order[item.index];
            return (
              <Box
                key={item.key}
                role="row"
                aria-rowindex={item.index + 2}
                onMouseEnter={() => props.onHover?.(row)}
                onClick={() => {
                  setAt(item.index);
                  props.onChoose?.(row);
                }}
                sx={{
                  position: "absolute",
                  top: item.start,
                  left: 0,
                  right: 0,
                  height: ROW,
                  display: "grid",
                  gridTemplateColumns: template,
                  columnGap: 2,
                  px: 2,
                  alignItems: "center",
                  borderBottom: `1px solid ${RULE}`,
                  bgcolor: marked.includes(row) ? "#EAE2CF" : undefined,
                  cursor: props.onChoose ? "pointer" : undefined,
                }}
              >
                {rows[row].map((cell, i) => (
                  <Box
                    // biome-ignore lint/suspicious/noArrayIndexKey: a row's cells never move
                    key={i}
                    role="cell"
                    sx={{
                      textAlign: columns[i].number ? "right" : "left",
                      overflow: "hidden",
                      textOverflow: "ellipsis",
                      whiteSpace: "nowrap",
                    }}
                  >
                    {written(cell)}
                  </Box>
                ))}
              </Box>
            );
          })}
        </Box>
      </Box>
    </Box>
  );
}

function written(cell: Cell): string {
  if (cell === null) return "";
  if (typeof cell === "string") return cell;
  return Number.isInteger(cell) ? whole(cell) : figure(cell);
}

/** Numbers before words, blanks last, whichever the direction. */
function compare(a: Cell, b: Cell, down: boolean): number {
  const kind = (c: Cell) => (c === null || c === "" ? 2 : typeof c === "number" ? 0 : 1);
  if (kind(a) !== kind(b)) return kind(a) - kind(b);
  const less =
    typeof a === "number" && typeof b === "number"
      ? a - b
      : String(a).localeCompare(String(b), "en", { numeric: true });
  return down ? -less : less;
}
