/** The open stage's sheet: hangs from its own column over the map. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { PlanDocument, Study, View } from "../api/client";
import { plural } from "../format";
import { type Save, usePlans, useSavePlan, useSources } from "../state/queries";
import { type Stage, useDoing } from "../state/store";
import { INK, MADDER, PAPER, RULE } from "../theme";
import { GatherSheet } from "./gather/GatherSheet";
import { Question, Quiet } from "./parts";
import { SHEET_WIDTH, sheetLeft } from "./place";
import { RowFilter } from "./RowFilter";
import { guessedRate } from "./rate";

interface Props {
  study: Study;
  view: View;
}

export function Sheet({ study, view, stage }: Props & { stage: Stage }) {
  const save = useSavePlan(study, view);
  const { selected, pinned, set } = useDoing();
  const body = {
    gather: <GatherSheet study={study} view={view} save={save.mutate} />,
    place: <PlaceSheet study={study} view={view} save={save.mutate} />,
    measure: <MeasureSheet study={study} view={view} save={save.mutate} />,
    class: <ClassSheet view={view} save={save.mutate} />,
    show: <ShowSheet view={view} save={save.mutate} />,
  }[stage];
  return (
    <Box
      component="section"
      aria-label={`${stage} sheet`}
      style={pinned ? undefined : { left: sheetLeft(stage, selected !== null, window.innerWidth) }}
      sx={{
        width: SHEET_WIDTH,
        overflowY: "auto",
        bgcolor: PAPER,
        p: 2,
        zIndex: 3,
        ...(pinned
          ? { flexShrink: 0, borderRight: `1px solid ${INK}` }
          : { position: "absolute", top: 0, maxHeight: "100%", border: `1px solid ${INK}`, borderTop: 0 }),
      }}
    >
      <Box sx={{ float: "right", display: "flex", gap: 1, fontSize: "0.8125rem" }}>
        <ButtonBase
          aria-pressed={pinned}
          onClick={() => set({ pinned: !pinned })}
          sx={{ font: "inherit", textDecoration: "underline", textUnderlineOffset: 3 }}
        >
          {pinned ? "let it hang" : "beside the map"}
        </ButtonBase>
        <ButtonBase
          aria-label="Close the sheet"
          onClick={() => set({ sheet: null })}
          sx={{ font: "inherit", px: 0.5 }}
        >
          ×
        </ButtonBase>
      </Box>
      {body}
      {save.isPending && <Quiet>Working it out…</Quiet>}
      {save.error && (
        <Typography role="alert" sx={{ color: MADDER, mt: 1 }}>
          {save.error.message}
        </Typography>
      )}
    </Box>
  );
}

function PlaceSheet({ study, view, save }: Props & { save: Save }) {
  const zones = (useSources(study).data ?? []).filter((s) => s.role === "zones");
  const areas = view.plan.place.areas;
  const [width, setWidth] = useState(String(areas.kind === "grid" ? areas.size : 1000));
  const metres = Number(width);
  const sound = Number.isFinite(metres) && metres > 0;
  const chosen = areas.kind === "grid" ? "hexagons" : areas.source;
  const chooseHexagons = () =>
    save((plan) => {
      const cover = areas.kind === "grid" ? areas.cover : { source: areas.source };
      plan.place.areas = { kind: "grid", size: metres, cover };
      if (plan.measure.kind === "rate") plan.measure = { kind: "density", time: plan.measure.time };
    });
  const chooseZones = (name: string) =>
    save((plan) => {
      const source = zones.find((z) => z.name === name)!;
      const nameColumn = source.columns.includes("name") ? "name" : null;
      plan.place.areas = { kind: "zones", source: name, identifier: source.columns[0], name: nameColumn };
      if (plan.measure.kind === "rate") plan.measure = { kind: "density", time: plan.measure.time };
    });
  return (
    <>
      <Question>Where does each fall?</Question>
      <RadioGroup value={chosen} aria-label="Areas">
        {zones.map((z) => (
          <Choice key={z.name} value={z.name} label={z.name} onChoose={() => chooseZones(z.name)} />
        ))}
        <Choice value="hexagons" label="hexagons" onChoose={chooseHexagons} disabled={!sound} />
      </RadioGroup>
      <Box
        component="form"
        onSubmit={(event) => {
          event.preventDefault();
          if (sound) chooseHexagons();
        }}
        sx={{ display: "flex", gap: 1, alignItems: "flex-start", mt: 1 }}
      >
        <TextField
          size="small"
          label="Width of a hexagon, m"
          value={width}
          error={!sound}
          helperText={sound ? "across the flats" : "a number above 0"}
          onChange={(event) => setWidth(event.target.value)}
        />
        <Button type="submit" variant="outlined" disabled={!sound} sx={{ mt: 0.25 }}>
          Draw
        </Button>
      </Box>
      <Quiet>
        {plural(view.ledger.areas.read, "area")}; {plural(view.ledger.stages[1].records_set_aside, "event")}{" "}
        outside.
      </Quiet>
    </>
  );
}

/** How residents are known for the open areas: as an earlier plan had it, or by a first guess. */
function useRate(study: Study, view: View): PlanDocument | null {
  const plans = usePlans(study).data?.versions ?? [];
  const sources = useSources(study).data ?? [];
  const areas = view.plan.place.areas;
  if (view.plan.measure.kind === "rate") return view.plan.measure;
  if (areas.kind !== "zones") return null;
  const before = plans.findLast(
    (p) => p.document.measure.kind === "rate" && p.document.place.areas.source === areas.source,
  );
  if (before) return before.document.measure;
  return guessedRate(areas, sources, view.plan.gather.events.recorded.length > 0);
}

function MeasureSheet({ study, view, save }: Props & { save: Save }) {
  const rate = useRate(study, view);
  const time = view.plan.gather.events.recorded.length ? "window" : "none";
  return (
    <>
      <Question>How much, per what?</Question>
      <RadioGroup value={view.plan.measure.kind} aria-label="Measure">
        <Choice
          value="count"
          label="events"
          onChoose={() =>
            save((p) => {
              p.measure = { kind: "count" };
            })
          }
        />
        <Choice
          value="rate"
          label={`per 10,000 residents${time === "window" ? ` and ${view.period_noun}` : ""}`}
          disabled={!rate}
          onChoose={() =>
            save((p) => {
              p.measure = rate;
            })
          }
        />
        <Choice
          value="density"
          label={`per km²${time === "window" ? ` and ${view.period_noun}` : ""}`}
          onChoose={() =>
            save((p) => {
              p.measure = { kind: "density", time };
            })
          }
        />
      </RadioGroup>
      {view.plan.measure.kind === "rate" && <RowFilter study={study} view={view} save={save} />}
      {!rate && (
        <Quiet>Nobody has said how many live in these areas, so there is no rate per resident.</Quiet>
      )}
      {view.plan.measure.kind === "count" && (
        <Typography sx={{ color: MADDER, mt: 1 }}>
          Counts mostly show where people live. Divide by residents or by area before you compare areas.
        </Typography>
      )}
    </>
  );
}

function ClassSheet({ view, save }: { view: View; save: Save }) {
  const count = view.plan.class.count as number;
  const change = (by: number) =>
    save((p) => {
      p.class.count += by;
    });
  return (
    <>
      <Question>Which areas belong together?</Question>
      <RadioGroup value={view.plan.class.method} aria-label="Method">
        <Choice
          value="quantile"
          label="quantile: classes of like size"
          onChoose={() =>
            save((p) => {
              p.class.method = "quantile";
            })
          }
        />
        <Choice
          value="natural_breaks"
          label="natural breaks: values that lie together"
          onChoose={() =>
            save((p) => {
              p.class.method = "natural_breaks";
            })
          }
        />
      </RadioGroup>
      <Box sx={{ display: "flex", alignItems: "center", gap: 1.5, mt: 1.5 }}>
        <span>Classes</span>
        <Button
          variant="outlined"
          size="small"
          aria-label="One class fewer"
          disabled={count <= 2}
          onClick={() => change(-1)}
        >
          −
        </Button>
        <Box
          component="output"
          aria-label="Number of classes"
          sx={{ fontSize: "1.3rem", minWidth: 20, textAlign: "center" }}
        >
          {count}
        </Box>
        <Button
          variant="outlined"
          size="small"
          aria-label="One class more"
          disabled={count >= 9}
          onClick={() => change(1)}
        >
          +
        </Button>
      </Box>
      {view.ledger.fit !== null && (
        <Quiet>
          The classes take up {Math.round(100 * view.ledger.fit)} % of the variation between areas.
        </Quiet>
      )}
    </>
  );
}

const RAMPS = ["kelp", "peat", "heather", "slate", "rowan"];

function ShowSheet({ view, save }: { view: View; save: Save }) {
  return (
    <>
      <Question>What does the reader see?</Question>
      <RadioGroup value={view.plan.show.ramp} aria-label="Colours">
        {RAMPS.map((ramp) => (
          <Choice
            key={ramp}
            value={ramp}
            label={ramp}
            onChoose={() =>
              save((p) => {
                p.show.ramp = ramp;
              })
            }
          />
        ))}
      </RadioGroup>
      <Box sx={{ display: "flex", mt: 1, border: `1px solid ${RULE}` }} aria-hidden>
        {view.bands.map((band) => (
          <Box key={band.colour} sx={{ flex: 1, height: 14, bgcolor: band.colour }} />
        ))}
      </Box>
    </>
  );
}

function Choice(props: { value: string; label: string; onChoose: () => void; disabled?: boolean }) {
  return (
    <FormControlLabel
      value={props.value}
      label={props.label}
      disabled={props.disabled}
      control={<Radio size="small" sx={{ py: 0.5 }} onChange={props.onChoose} />}
    />
  );
}
