/** The area card: all that is known of one area, in its fixed place at the map's right edge. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import type { Areas } from "../api/bulk";
import type { View } from "../api/client";
import { figure, plural, whole } from "../format";
import { classOf, NO_CLASS, ZERO_CLASS } from "../map/classes";
import { STATE_WORDS } from "../map/MapPane";
import { CARD_WIDTH } from "../stages/place";
import { useDoing } from "../state/store";
import { INK, PAPER, QUIET, RULE } from "../theme";

export function AreaCard({ view, areas, area }: { view: View; areas: Areas; area: number }) {
  const set = useDoing((d) => d.set);
  const value = areas.value[area];
  const known = !Number.isNaN(value);
  const zeroApart = view.plan.class.zero === "apart";
  const inClass = classOf(value, view.ledger.breaks, zeroApart);
  const band = inClass >= 0 ? view.bands[inClass] : null;
  const numbered = areas.value.filter((v) => !Number.isNaN(v));
  const rank = 1 + numbered.filter((v) => v > value).length;
  return (
    <Box
      component="section"
      aria-label="Area card"
      sx={{
        position: "absolute",
        top: 0,
        right: 0,
        bottom: 0,
        width: CARD_WIDTH,
        bgcolor: PAPER,
        borderLeft: `1px solid ${INK}`,
        p: 2,
        overflowY: "auto",
        zIndex: 2,
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
      <Box data-testid="value" sx={{ fontSize: "1.9rem", mt: 1.5, lineHeight: 1.1 }}>
        {known ? figure(value) : STATE_WORDS[areas.state[area]]}
      </Box>
      <Box sx={{ color: QUIET, fontSize: "0.8125rem", mb: 1.5 }}>{view.value_name}</Box>
      <Box
        data-testid="sum"
        sx={{ borderTop: `1px solid ${RULE}`, borderBottom: `1px solid ${RULE}`, py: 1, lineHeight: 1.7 }}
      >
        {sum(view, areas, area).map((line) => (
          <div key={line}>{line}</div>
        ))}
      </Box>
      <Entry label="class">
        {band ? (
          <>
            {inClass + 1} of {view.bands.length}: {band.text}
          </>
        ) : inClass === ZERO_CLASS ? (
          "zero"
        ) : inClass === NO_CLASS ? (
          "none"
        ) : null}
      </Entry>
      {known && <Entry label="rank">{`${whole(rank)} of ${whole(numbered.length)}`}</Entry>}
      <Entry label="events">{whole(areas.numerator[area])}</Entry>
      <Entry label="km²">{figure(areas.areaKm2[area])}</Entry>
      <Button variant="outlined" size="small" sx={{ mt: 2 }} onClick={() => set({ rows: "events" })}>
        Show its {plural(areas.numerator[area], "event")}
      </Button>
    </Box>
  );
}

function Entry({ label, children }: { label: string; children: React.ReactNode }) {
  return (
    <Box
      sx={{ display: "flex", justifyContent: "space-between", py: 0.5, borderBottom: `1px solid ${RULE}` }}
    >
      <Box sx={{ color: QUIET }}>{label}</Box>
      <Box sx={{ textAlign: "right" }}>{children}</Box>
    </Box>
  );
}

/** The sum written out, a line for each part. */
export function sum(view: View, areas: Areas, area: number): string[] {
  const how = view.plan.measure;
  const events = plural(areas.numerator[area], "event");
  if (how.kind === "count") return [events];
  const under = areas.denominator[area];
  if (!(under > 0)) return [events, `no ${view.denominator_noun} to divide by`];
  const lines = [events, `/ ${figure(under)} ${view.denominator_noun}`];
  if (how.time === "window") lines.push(`/ ${plural(view.ledger.periods, view.period_noun)}`);
  if (how.time === "year") lines.push(`/ ${figure(view.ledger.periods)} years`);
  if (how.per !== 1) lines.push(`× ${whole(how.per)}`);
  return [...lines, `= ${figure(areas.value[area])}`];
}
