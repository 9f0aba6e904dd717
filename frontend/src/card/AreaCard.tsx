/** The area card: all that is known of one area, in its fixed place at the map's right edge. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import type { Areas } from "../api/bulk";
import type { Schemas, Study, View } from "../api/client";
import { chanceText, figure, levelText, plural, whole } from "../format";
import { ABOVE_ALL, BELOW_ALL, NO_CLASS, ZERO_CLASS } from "../outcome/classes";
import { sumOf, termFigure } from "../outcome/terms";
import { besideText, doubts, SIDE_WORDS, STATE_WORDS, valueText } from "../outcome/words";
import { Unanswered } from "../parts/Answer";
import { mappedEvents } from "../plan/mapped";
import { leftOut } from "../plan/place";
import { useAnswer } from "../state/asked";
import { useAreaProfile, useOtherMeasures, useSavePlan } from "../state/queries";
import { useDoing } from "../state/store";
import { useCardWidth, useSmall } from "../state/window";
import { INK, PAPER, QUIET, RULE } from "../theme";

/** Leave the area out of the plan, or take it in again. */
function LeaveOut({ study, view, identifier }: { study: Study; view: View; identifier: string }) {
  const save = useSavePlan(study, view);
  const out = view.plan.place.exclude.areas.includes(identifier);
  return (
    <Button
      variant="outlined"
      size="small"
      disabled={save.isPending}
      onClick={() => save.mutate((plan) => leftOut(plan, identifier, !out))}
    >
      {out ? "Take it in again" : "Leave it out"}
    </Button>
  );
}

interface Props {
  study: Study;
  view: View;
  areas: Areas;
  area: number;
}

export function AreaCard({ study, view, areas, area }: Props) {
  const width = useCardWidth();
  const small = useSmall();
  const set = useDoing((d) => d.set);
  const profile = useAnswer(useAreaProfile(view, area));
  const others = useOtherMeasures(view, true);
  const value = areas.value[area];
  const known = !Number.isNaN(value);
  const inClass = areas.own[area];
  const inWords = areas.words.length > 0;
  const hidden = STATE_WORDS[areas.state[area]] === "suppressed";
  const band = inClass >= 0 ? view.bands[inClass] : null;
  const numbered = areas.value.filter((v) => !Number.isNaN(v));
  const rank = 1 + numbered.filter((v) => v > value).length;
  return (
    <Box
      component="section"
      aria-label="Area card"
      tabIndex={0}
      sx={{
        bgcolor: PAPER,
        p: 2,
        ...(small
          ? { borderTop: `1px solid ${INK}` }
          : {
              position: "absolute",
              top: 0,
              right: 0,
              bottom: 0,
              width,
              borderLeft: `1px solid ${INK}`,
              overflowY: "auto",
              zIndex: 2,
            }),
      }}
    >
      <Box sx={{ display: "flex", alignItems: "baseline" }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          {areas.name[area]}
        </Typography>
        <IconButton
          aria-label="Close the card"
          size="small"
          onClick={() => set({ selected: null })}
          sx={{ fontSize: "1.1rem" }}
        >
          ×
        </IconButton>
      </Box>
      <Box sx={{ color: QUIET, fontSize: "0.8125rem", overflowWrap: "anywhere" }}>
        {areas.identifier[area]}
      </Box>
      <Unanswered />
      <Box data-testid="value" sx={{ fontSize: "1.9rem", mt: 1.5, lineHeight: 1.1 }}>
        {valueText(areas, area)}
      </Box>
      <Box sx={{ color: QUIET, fontSize: "0.8125rem", mb: 1.5 }}>{view.value_name}</Box>
      <Box
        data-testid="sum"
        sx={{ borderTop: `1px solid ${RULE}`, borderBottom: `1px solid ${RULE}`, py: 1, lineHeight: 1.7 }}
      >
        {sumOf(view, areas, area).map((line) => (
          <div key={line}>{line}</div>
        ))}
      </Box>
      <Box sx={{ display: "flex", gap: 1, my: 1.5, flexWrap: "wrap" }}>
        <Button variant="outlined" size="small" onClick={() => set({ rows: "events" })}>
          Show its {areas.events[area] < 0 ? "events" : plural(areas.events[area], "event")}
        </Button>
        <LeaveOut study={study} view={view} identifier={areas.identifier[area]} />
      </Box>
      {doubts(view, areas, area).map((says) => (
        <Box key={says} sx={{ color: QUIET, fontSize: "0.8125rem" }}>
          Unreliable: {says}
        </Box>
      ))}
      <Entry label="class">
        {band
          ? inWords
            ? band.text
            : `${inClass + 1} of ${view.bands.length}: ${band.text}`
          : inClass === ZERO_CLASS
            ? view.zero_band.text
            : inClass === BELOW_ALL
              ? "below the lowest"
              : inClass === ABOVE_ALL
                ? "above the highest"
                : inClass === NO_CLASS
                  ? "none"
                  : null}
      </Entry>
      {known && !Number.isNaN(areas.low[area]) && (
        <Entry label={`${levelText(view.level)} interval`}>
          {figure(areas.low[area])} to{" "}
          {Number.isFinite(areas.high[area]) ? figure(areas.high[area]) : "without end"}
        </Entry>
      )}
      {known && view.against && areas.side && (
        <Entry label={`against ${view.against.says}`}>
          {SIDE_WORDS[areas.side[area]]}
          {areas.p && !Number.isNaN(areas.p[area]) && (
            <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>
              by chance alone: {chanceText(areas.p[area])}
              {view.against.corrected ? ", corrected" : ""}
            </Box>
          )}
        </Entry>
      )}
      {view.beside.map((one, at) => (
        <Entry key={one.says} label={one.says}>
          {termFigure(areas.beside[at]?.[area] ?? null)}
        </Entry>
      ))}
      {band && !Number.isNaN(areas.steadiness[area]) && (
        <Entry
          label="steadiness"
          says="how likely the area is to stay in its class, were chance to fall out otherwise"
        >
          {Math.round(100 * areas.steadiness[area])} %
        </Entry>
      )}
      {known && !inWords && <Entry label="rank">{`${whole(rank)} of ${whole(numbered.length)}`}</Entry>}
      <Entry label="km²">{figure(areas.areaKm2[area])}</Entry>
      {others.map(({ name, values }) => (
        <Entry key={name} label={name}>
          {besideText(values, area)}
        </Entry>
      ))}
      {hidden && (
        <Box sx={{ color: QUIET, fontSize: "0.8125rem", mt: 1.5 }}>
          Hidden by the release rule “{view.plan.release?.name}”.
        </Box>
      )}
      {profile && !hidden && <TimeLine profile={profile} />}
      {(hidden ? [] : profile?.categories)?.map((category) => (
        <Commonest
          key={category.column}
          title={mappedEvents(view.plan).labels[category.column] ?? category.column}
          category={category}
          total={profile?.total ?? 0}
        />
      ))}
      {profile && !hidden && profile.places.length > 0 && (
        <Box sx={{ color: QUIET, fontSize: "0.8125rem", mt: 1.5 }}>
          At {plural(profile.places.length, "place")}, numbered on the map by how many events they had; place
          1 had {whole(profile.places[0][2])}.
        </Box>
      )}
    </Box>
  );
}

/** A bar for each part of the study's time, the same parts for every area. */
function TimeLine({ profile }: { profile: Schemas["AreaProfile"] }) {
  if (!profile.time.length) return null;
  const most = Math.max(...profile.time.map((t) => t.events), 1);
  const first = profile.time[0].says;
  const last = profile.time[profile.time.length - 1].says;
  return (
    <Box
      role="img"
      aria-label={`Events over time. ${profile.time.map((t) => `${t.says}: ${t.events}`).join("; ")}`}
      sx={{ mt: 2 }}
    >
      <Box
        sx={{
          display: "flex",
          alignItems: "flex-end",
          gap: "2px",
          height: 44,
          borderBottom: `1px solid ${INK}`,
        }}
      >
        {profile.time.map((t) => (
          <Box
            key={t.says}
            title={`${t.says}: ${plural(t.events, "event")}`}
            sx={{ flex: 1, bgcolor: INK, opacity: 0.72 }}
            style={{ height: `${(100 * t.events) / most}%` }}
          />
        ))}
      </Box>
      <Box sx={{ display: "flex", justifyContent: "space-between", color: QUIET, fontSize: "0.75rem" }}>
        <span>{first}</span>
        <span>{last}</span>
      </Box>
      {profile.time_unknown > 0 && (
        <Box sx={{ color: QUIET, fontSize: "0.75rem" }}>
          {plural(profile.time_unknown, "event")} without a readable time
        </Box>
      )}
    </Box>
  );
}

function Commonest(props: { title: string; category: Schemas["CategoryView"]; total: number }) {
  const { title, category, total } = props;
  return (
    <Box sx={{ mt: 1.5 }}>
      <Box sx={{ color: QUIET, fontSize: "0.8125rem", borderBottom: `1px solid ${RULE}` }}>{title}</Box>
      {category.values.map((v) => (
        <Line key={v.says} label={v.says} count={v.events} total={total} />
      ))}
      {category.others > 0 && <Line label="others" count={category.others} total={total} quiet />}
    </Box>
  );
}

function Line(props: { label: string; count: number; total: number; quiet?: boolean }) {
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: "1fr 4em 3.2em",
        fontSize: "0.8125rem",
        textAlign: "right",
        color: props.quiet ? QUIET : undefined,
      }}
    >
      <Box sx={{ textAlign: "left", overflow: "hidden", textOverflow: "ellipsis", whiteSpace: "nowrap" }}>
        {props.label}
      </Box>
      <span>{whole(props.count)}</span>
      <span>{Math.round((100 * props.count) / props.total)} %</span>
    </Box>
  );
}

function Entry({ label, says, children }: { label: string; says?: string; children: React.ReactNode }) {
  return (
    <Box
      title={says}
      sx={{ display: "flex", justifyContent: "space-between", py: 0.5, borderBottom: `1px solid ${RULE}` }}
    >
      <Box sx={{ color: QUIET }}>{label}</Box>
      <Box sx={{ textAlign: "right" }}>{children}</Box>
    </Box>
  );
}
