/** One table for all rows: sorted by a click on a column, walked with the keys, drawn only where it is seen. */

import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, type RefObject, useEffect, useMemo, useRef, useState } from "react";
import type { View } from "../api/client";
import { Answer } from "../parts/Answer";
import { mappedEvents } from "../plan/mapped";
import type { Asked } from "../state/asked";
import { useWindowHeight } from "../state/window";
import { INK, QUIET, RULE } from "../theme";
import { unit } from "../unit";
import { csvOf } from "./csv";
import { type Cell, compare, written } from "./sorting";

/** How high a table is in a window that is so high: not much less than nothing, and not much more than its rows. */
function heightIn(window: number): number {
  return Math.min(252 * unit, Math.max(0.42 * window, 170));
}

/** Narrower a column is not: the table is scrolled sideways instead. */
const LEAST_COLUMN = 64;
const ROW = 27 * unit;

export interface Column {
  title: string;
  /** A share of the width. */
  share: number;
  number?: boolean;
}

interface Sorting {
  column: number;
  down: boolean;
}

/** What a table of the server's has: the names of its columns, and rows. */
export interface Found {
  total: number;
  columns: string[];
  rows: Cell[][];
}

/** A table as it came from the server; `numbers` are its columns of figures. */
export function Table(props: { label: string; view: View; found: Found; numbers: string[] }) {
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

export function Grid(props: {
  label: string;
  columns: Column[];
  rows: Cell[][];
  first?: Sorting;
  /** A few rows take no more room than they need. */
  low?: boolean;
  marked?: (number | null)[];
  /** Gets what makes the rows as they are shown into CSV. */
  shown?: RefObject<(() => string) | null>;
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
  useEffect(() => {
    if (props.shown)
      props.shown.current = () =>
        csvOf(
          columns.map((c) => c.title),
          rows,
          order,
        );
  });
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW,
    overscan: 8,
  });
  const template = columns.map((c) => `minmax(0, ${c.share}fr)`).join(" ");
  const height = heightIn(useWindowHeight()) - 30 * unit;
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
    <Box sx={{ overflowX: "auto" }}>
      <Box
        role="table"
        aria-label={props.label}
        aria-rowcount={rows.length + 1}
        sx={{ fontSize: "0.8125rem", minWidth: columns.length * LEAST_COLUMN * unit }}
      >
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
                sx={{
                  font: "inherit",
                  fontWeight: 600,
                  py: 0.5,
                  display: "block",
                  maxWidth: "100%",
                  ml: c.number ? "auto" : 0,
                  overflow: "hidden",
                  textOverflow: "ellipsis",
                  whiteSpace: "nowrap",
                }}
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
          sx={{
            height: props.low ? Math.min(rows.length * ROW, height) : height,
            overflowY: "auto",
          }}
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
    </Box>
  );
}

/** A column by its readable name, where it has one. */
export function labelled(view: View, column: string): string {
  return mappedEvents(view.plan).labels[column] ?? column;
}

export function Say({ text }: { text: string }) {
  return <Box sx={{ minHeight: "6em", p: 2, color: QUIET }}>{text}</Box>;
}

/** The rows that were asked for. */
export function Found<T>({ of, children }: { of: Asked<T>; children: (rows: T) => ReactNode }) {
  return (
    <Box sx={{ minHeight: "6em" }}>
      <Answer of={of} awaited="Looking them up…" inset>
        {children}
      </Answer>
    </Box>
  );
}
