/** The events without an area: outside all, or without coordinates; and which share could be located. */

import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { whole } from "../../format";
import { Pick } from "../../parts/Fields";
import { NumberField } from "../../parts/NumberField";
import { Head, Line, Link, Notes, Quiet } from "../../parts/parts";
import { mappedEvents } from "../../plan/mapped";
import { useAnswer } from "../../state/asked";
import { useCompleteness, useLabels, useOutside } from "../../state/queries";
import { useDoing, useParts } from "../../state/store";
import { INK, MADDER, RULE } from "../../theme";
import type { PlaceProps } from "./props";

/** Further than that nobody means. */
export const MOST_METRES = 100_000;

export function NotPlacedTab(props: PlaceProps) {
  return (
    <>
      <Account {...props} />
      <Outside {...props} />
      <Stated {...props} />
      <Complete {...props} />
    </>
  );
}

/** The stage's own account: how events came into their areas, and why others did not. */
function Account({ view }: PlaceProps) {
  const set = useDoing((d) => d.set);
  const stage = view.ledger.stages[1];
  return (
    <>
      <Line count={stage.records_in}>looked for in the areas</Line>
      {stage.set_aside.map((r) => (
        <Line key={r.reason} count={`− ${whole(r.records)}`}>
          <Link
            onClick={() =>
              r.reason === "outside_every_area"
                ? set({ rows: "outside", dots: "outside" })
                : set({ rows: "set aside", reason: r.reason })
            }
          >
            {r.says}
          </Link>
        </Line>
      ))}
      <Box sx={{ borderTop: `1px solid ${INK}`, borderBottom: `3px double ${INK}`, fontWeight: 600 }}>
        <Line count={stage.records_out}>placed</Line>
      </Box>
      {Object.entries(stage.ways as Record<string, number>).length > 1 &&
        Object.entries(stage.ways as Record<string, number>).map(([way, n]) => (
          <Line key={way} count={n}>
            {way}
          </Line>
        ))}
      {view.ledger.placements > stage.records_out && (
        <Quiet>
          Areas overlap: these events are counted {whole(view.ledger.placements)} times, once in each area.
        </Quiet>
      )}
      <Notes view={view} stage="place" />
    </>
  );
}

function Outside({ view, save }: PlaceProps) {
  const found = useAnswer(useOutside(view));
  const { dots, set } = useParts("dots", "set");
  const tolerance = view.plan.place.tolerance_m;
  if (!found || (!found.total && !tolerance)) return null;
  return (
    <>
      <Head>In no area</Head>
      <Within within={found.within} />
      <NumberField
        label="Draw in those within … m"
        value={tolerance}
        least={0}
        most={MOST_METRES}
        onKeep={(metres) =>
          save((plan) => {
            plan.place.tolerance_m = metres;
          })
        }
      />
      <Quiet>
        <Link onClick={() => set({ dots: dots === "outside" ? null : "outside", rows: "outside" })}>
          {dots === "outside" ? "Take them off the map" : "Show them on the map and in the rows"}
        </Link>
      </Quiet>
    </>
  );
}

/** How many events lie how near: as bars, to choose a distance by. */
export function Within({ within }: { within: readonly { metres: number; events: number }[] }) {
  const most = Math.max(...within.map((w) => w.events), 1);
  return (
    <Box sx={{ mt: 0.5, fontSize: "0.8125rem" }}>
      {within.map((w) => (
        <Box key={w.metres} sx={{ display: "flex", gap: 1, alignItems: "center" }}>
          <Box sx={{ width: 100, textAlign: "right" }}>within {whole(w.metres)} m</Box>
          <Box sx={{ flex: 1 }}>
            <Box
              sx={{ height: 8, bgcolor: INK, opacity: 0.6 }}
              style={{ width: `${(100 * w.events) / most}%` }}
            />
          </Box>
          <Box sx={{ width: 48, textAlign: "right" }}>{whole(w.events)}</Box>
        </Box>
      ))}
    </Box>
  );
}

function Stated({ view, save }: PlaceProps) {
  const events = mappedEvents(view.plan);
  const labels = useAnswer(useLabels(view));
  const zones = view.plan.place.areas.kind === "zones";
  const stated = events.stated;
  const alone = events.coordinates.kind === "none";
  if (!zones) {
    return stated ? (
      <Quiet>Records placed by an area that they state need zones; a grid has none of their names.</Quiet>
    ) : null;
  }
  return (
    <>
      <Head>The area that a record states</Head>
      <Pick
        label="Its code or name stands in"
        value={stated?.column ?? ""}
        options={[
          ...(alone ? [] : ([["", "no column"]] as const)),
          ...view.columns.map((c) => [c, events.labels[c] ?? c] as const),
        ]}
        onChange={(column) =>
          save((plan) => {
            mappedEvents(plan).stated = column ? { column, stands_in: stated?.stands_in ?? true } : null;
          })
        }
      />
      {stated && !alone && (
        <FormControlLabel
          label="place records without coordinates by it"
          control={
            <Checkbox
              size="small"
              checked={stated.stands_in}
              onChange={(_, stands) =>
                save((plan) => {
                  const now = mappedEvents(plan).stated;
                  if (now) now.stands_in = stands;
                })
              }
            />
          }
        />
      )}
      {stated && labels && <LeftOver labels={labels} view={view} save={save} />}
    </>
  );
}

const FIRST = 8;

/** Spellings that are no area: never joined without the user's word. */
function LeftOver(props: {
  labels: Schemas["LabelsView"];
  view: PlaceProps["view"];
  save: PlaceProps["save"];
}) {
  const { labels, save } = props;
  const left = Object.entries(labels.left_over as Record<string, number>).sort((a, b) => b[1] - a[1]);
  const accepted = Object.entries(props.view.plan.place.stated.accepted);
  if (!left.length && !accepted.length) return <Quiet>Every spelling is one of the areas.</Quiet>;
  const accept = (spelling: string, identifier: string | null) =>
    save((plan) => {
      const { [spelling]: _, ...others } = plan.place.stated.accepted;
      plan.place.stated.accepted = identifier ? { ...others, [spelling]: identifier } : others;
    });
  return (
    <Box sx={{ fontSize: "0.8125rem" }}>
      {left.length > 0 && <Quiet>Spellings that are none of the areas:</Quiet>}
      {left.slice(0, FIRST).map(([spelling, n]) => (
        <Box key={spelling} sx={{ borderBottom: `1px solid ${RULE}`, py: 0.25 }}>
          <Line count={n}>{spelling}</Line>
          {((labels.suggestions as Record<string, string[]>)[spelling] ?? [])
            .slice(0, 2)
            .map((identifier) => (
              <span key={identifier}>
                <Link onClick={() => accept(spelling, identifier)}>it is {identifier}</Link>{" "}
              </span>
            ))}
        </Box>
      ))}
      {labels.spellings > FIRST && <Quiet>and {whole(labels.spellings - FIRST)} more.</Quiet>}
      {accepted.map(([spelling, identifier]) => (
        <Line key={spelling} count="">
          “{spelling}” is {identifier} <Link onClick={() => accept(spelling, null)}>no longer</Link>
        </Line>
      ))}
    </Box>
  );
}

function Complete({ view, save }: PlaceProps) {
  const [column, setColumn] = useState("");
  const found = useAnswer(useCompleteness(view, column));
  if (!found) return null;
  const share = (s: Schemas["ShareView"]) => (s.records ? s.located / s.records : 1);
  return (
    <>
      <Head>Which share could be located</Head>
      <Box sx={{ color: share(found.all) < found.complete_from ? MADDER : INK }} data-testid="located">
        <Line count={`${(100 * share(found.all)).toFixed(1)} %`}>
          {whole(found.all.located)} of {whole(found.all.records)} records
        </Line>
      </Box>
      <NumberField
        label="Warn below … %"
        value={Math.round(1e6 * view.plan.place.complete_from) / 1e4}
        least={0}
        most={100}
        onKeep={(percent) =>
          save((plan) => {
            plan.place.complete_from = percent / 100;
          })
        }
      />
      <Shares shares={found.by_month} limit={found.complete_from} empty="no time" />
      <Pick
        label="By"
        value={column}
        options={[["", "choose a column"], ...found.columns.map((c) => [c, c] as const)]}
        onChange={setColumn}
      />
      {column && <Shares shares={found.by_column} limit={found.complete_from} empty="blank" />}
    </>
  );
}

function Shares(props: { shares: readonly Schemas["ShareView"][]; limit: number; empty: string }) {
  return (
    <Box sx={{ maxHeight: 190, overflowY: "auto", fontSize: "0.8125rem", mt: 0.5 }}>
      {props.shares.map((s) => {
        const part = s.located / s.records;
        return (
          <Box key={s.says} sx={{ display: "flex", gap: 1, alignItems: "center" }}>
            <Box sx={{ width: 96, overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
              {s.says || props.empty}
            </Box>
            <Box sx={{ flex: 1, bgcolor: "#E6DFCE" }}>
              <Box
                sx={{ height: 8, bgcolor: part < props.limit ? MADDER : INK, opacity: 0.7 }}
                style={{ width: `${100 * part}%` }}
              />
            </Box>
            <Box sx={{ width: 92, textAlign: "right", whiteSpace: "nowrap" }}>
              {Math.round(100 * part)} % of {whole(s.records)}
            </Box>
          </Box>
        );
      })}
    </Box>
  );
}
