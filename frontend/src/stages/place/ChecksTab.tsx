/** Is the placing right? Events in the colours of their areas, and the records' own areas against those found. */

import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import { useState } from "react";
import { whole } from "../../format";
import { Answer } from "../../parts/Answer";
import { KeptField } from "../../parts/KeptField";
import { NumberField } from "../../parts/NumberField";
import { Head, Line, Link, Quiet } from "../../parts/parts";
import { useAnswer } from "../../state/asked";
import { useAreaColumns, useLabels, usePoints } from "../../state/queries";
import { useDoing, useParts } from "../../state/store";
import { QUIET, RULE } from "../../theme";
import { MOST_METRES, Within } from "./NotPlacedTab";
import type { PlaceProps } from "./props";

export function ChecksTab(props: PlaceProps) {
  const { dots, set } = useParts("dots", "set");
  const points = useAnswer(usePoints(props.view, dots !== null));
  return (
    <>
      <Head>By eye</Head>
      <FormControlLabel
        label="show each event in the colour of its area"
        control={
          <Checkbox
            size="small"
            checked={dots === "placed"}
            onChange={(event) => set({ dots: event.target.checked ? "placed" : null })}
          />
        }
      />
      {dots === "placed" && points && (
        <Quiet>
          {points.x.length < points.of
            ? `${whole(points.x.length)} of ${whole(points.of)} events are drawn.`
            : `All ${whole(points.of)} events are drawn`}
          {points.x.length < points.of ? "" : "; those in no area in madder."}
        </Quiet>
      )}
      <Labels {...props} />
      <Carried {...props} />
    </>
  );
}

const PAIRS = 10;

function Labels({ view, save }: PlaceProps) {
  const { dots, set } = useParts("dots", "set");
  const check = useAnswer(useLabels(view));
  const trust = view.plan.place.stated.trust_within_m;
  const [byZone, setByZone] = useState(false);
  const [all, setAll] = useState(false);
  if (!check) return null;
  if (!check.column || !check.compared)
    return (
      <>
        <Head>Against the record's own area</Head>
        <Quiet>
          {view.plan.place.areas.kind === "grid" ? (
            "A grid has no names that records could state."
          ) : (
            <>
              Where records say their area themselves, it can be compared with where they lie:{" "}
              <Link onClick={() => set({ placeTab: "unplaced" })}>choose the column</Link>.
            </>
          )}
        </Quiet>
      </>
    );
  const pairs = all ? check.pairs : check.pairs.slice(0, PAIRS);
  const zones = check.zones.filter((z) => z.agree < z.stated || z.agree < z.found);
  return (
    <>
      <Head>Against the record's own area</Head>
      <Box sx={{ fontSize: "1.15rem" }} data-testid="agreement">
        {((100 * check.agree) / check.compared).toFixed(1)} % of {whole(check.compared)} agree
      </Box>
      {check.verdicts
        .filter((v) => v.events > 0)
        .map((v) => (
          <Line key={v.verdict} count={v.events}>
            {v.says}
          </Line>
        ))}
      <Quiet>
        <Link onClick={() => set({ dots: dots === "labels" ? null : "labels", rows: "labels" })}>
          {dots === "labels"
            ? "Take them off the map"
            : "Show those that disagree on the map and in the rows"}
        </Link>
      </Quiet>
      <NumberField
        label="Trust the record within … m"
        value={trust}
        least={0}
        most={MOST_METRES}
        onKeep={(metres) =>
          save((plan) => {
            plan.place.stated.trust_within_m = metres;
          })
        }
      />
      <Quiet>So many of them lie that near to the area they state:</Quiet>
      <Within within={check.within} />
      <Box sx={{ display: "flex", gap: 2, mt: 1.5 }} role="group" aria-label="Table of disagreement">
        <Link onClick={() => setByZone(false)}>stated and found</Link>
        <Link onClick={() => setByZone(true)}>by zone</Link>
      </Box>
      {byZone ? (
        <Table
          label="Agreement by zone"
          heads={["zone", "state it", "lie in it", "agree"]}
          rows={(all ? zones : zones.slice(0, PAIRS)).map((z) => [z.zone, z.stated, z.found, z.agree])}
        />
      ) : (
        <Table
          label="Stated and found"
          heads={["states", "lies in", "events"]}
          rows={pairs.map((p) => [p.stated, p.found || "no area", p.events])}
        />
      )}
      {!all && (byZone ? zones.length : check.pairs.length) > PAIRS && (
        <Link onClick={() => setAll(true)}>show all</Link>
      )}
    </>
  );
}

function Table(props: { label: string; heads: string[]; rows: (string | number)[][] }) {
  return (
    <Box
      component="table"
      aria-label={props.label}
      sx={{
        width: "100%",
        borderCollapse: "collapse",
        fontSize: "0.8125rem",
        "& td, & th": {
          textAlign: "left",
          fontWeight: 400,
          py: 0.25,
          pr: 1,
          borderBottom: `1px solid ${RULE}`,
        },
        "& th": { color: QUIET },
        "& .number": { textAlign: "right", pr: 0, pl: 1 },
      }}
    >
      <thead>
        <tr>
          {props.heads.map((head, i) => (
            <th key={head} className={typeof props.rows[0]?.[i] === "number" ? "number" : undefined}>
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {props.rows.map((row) => (
          <tr key={row.join("\n")}>
            {row.map((cell, i) => (
              <td key={props.heads[i]} className={typeof cell === "number" ? "number" : undefined}>
                {typeof cell === "number" ? whole(cell) : cell}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </Box>
  );
}

/** What each event takes with it from its area, into the rows, the files and the interface. */
function Carried({ view, save }: PlaceProps) {
  const set = useDoing((d) => d.set);
  const areas = view.plan.place.areas;
  const own = areas.kind === "zones" && areas.roll_up ? [areas.roll_up] : [];
  const found = useAreaColumns(view);
  const columnsOf = (all: readonly { column: string }[]) =>
    areas.kind === "grid" || areas.overlaps === "combinations"
      ? []
      : own.length
        ? own
        : all.map((c) => c.column);
  const carry = view.plan.place.carry;
  const toggle = (column: string) =>
    save((plan) => {
      const now = plan.place.carry;
      plan.place.carry = now.includes(column) ? now.filter((c) => c !== column) : [...now, column];
    });
  return (
    <>
      <Head>What each event takes with it</Head>
      <Quiet>
        Its area's identifier and name, in <Link onClick={() => set({ rows: "placed" })}>the rows</Link> and
        in the files. Of the area's other columns:
      </Quiet>
      <Answer of={found}>
        {(all) => {
          const columns = columnsOf(all);
          if (columns.length === 0) return <Quiet>There are none.</Quiet>;
          return columns.map((column) => (
            <FormControlLabel
              key={column}
              label={column}
              sx={{ display: "flex" }}
              control={
                <Checkbox
                  size="small"
                  sx={{ py: 0.25 }}
                  checked={carry.includes(column)}
                  onChange={() => toggle(column)}
                />
              }
            />
          ));
        }}
      </Answer>
      {view.ledger.placements > view.ledger.stages[1].records_out && (
        <KeptField
          label="Between several areas of one event stands"
          value={view.plan.place.separator}
          check={(text) => (text ? null : { says: "Something must stand between them." })}
          onKeep={(separator) =>
            save((plan) => {
              plan.place.separator = separator;
            })
          }
        />
      )}
    </>
  );
}
