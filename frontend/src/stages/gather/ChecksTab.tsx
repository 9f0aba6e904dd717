/** What else was found of the records, though none is set aside for it; and what can be done about it. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { Schemas, Study, View } from "../../api/client";
import { plural } from "../../format";
import { Answer } from "../../parts/Answer";
import { Field, Pick } from "../../parts/Fields";
import { Head, Line, Link, Quiet } from "../../parts/parts";
import { parts, put } from "../../plan/filter";
import { mappedEvents } from "../../plan/mapped";
import type { Events } from "../../plan/types";
import { type Save, useFindings } from "../../state/queries";
import { RULE } from "../../theme";
import { LookUpChoice } from "./LookUpChoice";

const MONTHS = Array.from({ length: 12 }, (_, at): [string, string] => [
  String(at + 1),
  new Date(Date.UTC(2001, at, 1)).toLocaleString("en", { month: "long", timeZone: "UTC" }),
]);

/** What periods such as 2010-11 mean: nobody can tell by looking at one of them. */
function Periods(props: { time: NonNullable<Events["time"]>; change: (alter: (e: Events) => void) => void }) {
  const { time, change } = props;
  return (
    <Box sx={{ mt: 1.5 }}>
      <Pick<"" | "month" | "year">
        label="The second figure of periods such as 2010-11 is"
        value={time.second ?? ""}
        options={[
          ["", "what fits all of them"],
          ["month", "the month"],
          ["year", "the year that follows"],
        ]}
        onChange={(second) =>
          change((e) => {
            if (e.time) e.time.second = second || null;
          })
        }
      />
      <Pick
        label="Years such as 2010-11 begin in"
        value={String(time.year_begins ?? "")}
        options={[["", "April, as nothing is said"], ...MONTHS]}
        onChange={(month) =>
          change((e) => {
            if (e.time) e.time.year_begins = month ? Number(month) : null;
          })
        }
      />
    </Box>
  );
}

export function ChecksTab({ study, view, save }: { study: Study; view: View; save: Save }) {
  return (
    <Answer of={useFindings(view, true)}>
      {(found) => <Checks study={study} view={view} save={save} found={found} />}
    </Answer>
  );
}

function Checks(props: { study: Study; view: View; save: Save; found: Schemas["FindingsView"] }) {
  const { study, view, save, found } = props;
  const events = mappedEvents(view.plan);
  const change = (alter: (e: Events) => void) => save((plan) => alter(mappedEvents(plan)));
  return (
    <>
      <Line count={found.events}>events can be used</Line>
      <Line count={found.distinct_places}>different places</Line>
      {found.doubles > 0 && <Line count={found.doubles}>equal an earlier record in every column; kept</Line>}
      {found.without_time > 0 && <Line count={found.without_time}>have no readable time</Line>}
      {found.first_time && (
        <Quiet>
          From {found.first_time} to {found.last_time}.
        </Quiet>
      )}
      {found.midnight_is_a_default && (
        <Box sx={{ mt: 1.5 }}>
          <Typography>
            {plural(found.at_midnight, "event")} at exactly 00:00: likely what is written where no time is
            known.
          </Typography>
          <Pick
            label="00:00 is"
            value={events.time?.midnight ?? "as_written"}
            options={[
              ["as_written", "a time like others"],
              ["unknown", "written where the time is unknown"],
            ]}
            onChange={(value) =>
              change((e) => {
                if (e.time) e.time.midnight = value;
              })
            }
          />
        </Box>
      )}
      {found.first_is_a_default && (
        <Typography sx={{ mt: 1.5 }}>
          {plural(found.on_first, "event")} on the 1st of a month: likely written where the day is unknown.
        </Typography>
      )}
      {events.time?.order === "period" && <Periods time={events.time} change={change} />}
      <Pick
        label="Places far from all others are"
        value={events.far_away}
        options={[
          ["set_aside", "set aside"],
          ["keep", "kept"],
        ]}
        onChange={(value) =>
          change((e) => {
            e.far_away = value;
          })
        }
      />
      {events.identifier && (
        <Pick
          label="Records that repeat an identifier are"
          value={events.repeated_identifier}
          options={[
            ["set_aside", "set aside but for the first"],
            ["keep", "kept"],
          ]}
          onChange={(value) =>
            change((e) => {
              e.repeated_identifier = value;
            })
          }
        />
      )}
      {events.time && (
        <Pick
          label="Records without a readable time are"
          value={events.time.unreadable}
          options={[
            ["keep", "kept, their time unknown"],
            ["set_aside", "set aside"],
          ]}
          onChange={(value) =>
            change((e) => {
              if (e.time) e.time.unreadable = value;
            })
          }
        />
      )}
      <LookUpChoice study={study} view={view} save={save} found={found} />
      <Piles piles={found.piles} view={view} save={save} />
    </>
  );
}

type Pile = { lon: number; lat: number; events: number };

function Piles({ piles, view, save }: { piles: readonly Pile[]; view: View; save: Save }) {
  const known = mappedEvents(view.plan).places;
  const [naming, setNaming] = useState<Pile | null>(null);
  const [name, setName] = useState("");
  if (!piles.length) return null;
  const nameOf = (p: Pile) => known.find((k) => Math.hypot(k.x - p.lon, k.y - p.lat) < 5e-5)?.name;
  const keep = () => {
    const pile = naming!;
    save((plan) => {
      mappedEvents(plan).places.push({ name: name.trim(), x: pile.lon, y: pile.lat, reach_m: 5 });
    });
    setNaming(null);
    setName("");
  };
  const leaveOut = (place: string) =>
    save((plan) => {
      const events = mappedEvents(plan);
      const now = parts(events.where).find((c) => c.kind === "places" && !c.keep);
      const places = [...new Set([...(now?.kind === "places" ? now.places : []), place])];
      events.where = put(events.where, (c) => c.kind === "places" && !c.keep, {
        kind: "places",
        places,
        keep: false,
      });
    });
  return (
    <>
      <Head>The largest piles</Head>
      <Quiet>Many events at the very same coordinates: often a shared or default place.</Quiet>
      {piles.map((p) => (
        <Box key={`${p.lon} ${p.lat}`} sx={{ borderBottom: `1px solid ${RULE}`, py: 0.25 }}>
          <Line count={p.events}>{nameOf(p) ?? `${p.lat.toFixed(5)}, ${p.lon.toFixed(5)}`}</Line>
          {naming === p ? (
            <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
              <Field label="What is there" value={name} onChange={setName} />
              <Button size="small" variant="outlined" disabled={!name.trim()} onClick={keep}>
                Keep
              </Button>
            </Box>
          ) : nameOf(p) ? (
            <Link onClick={() => leaveOut(nameOf(p)!)}>leave its events out</Link>
          ) : (
            <Link onClick={() => setNaming(p)}>name it as a known place</Link>
          )}
        </Box>
      ))}
    </>
  );
}
