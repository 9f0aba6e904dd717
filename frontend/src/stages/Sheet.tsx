/** The open stage's sheet: hangs from its own column over the map. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import ButtonBase from "@mui/material/ButtonBase";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Radio from "@mui/material/Radio";
import RadioGroup from "@mui/material/RadioGroup";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import type { PlanDocument, Study, View } from "../api/client";
import { type Save, usePlans, useProposal, useSavePlan, useSources } from "../state/queries";
import { type Stage, useDoing } from "../state/store";
import { INK, MADDER, PAPER, RULE } from "../theme";
import { AreaRows } from "./AreaRows";
import { Pick } from "./gather/Fields";
import { GatherSheet } from "./gather/GatherSheet";
import { SystemField } from "./gather/SystemField";
import { SHEET_WIDTH, sheetLeft } from "./hang";
import { Head, Link, Notes, Question, Quiet } from "./parts";
import { PlaceSheet } from "./place/PlaceSheet";
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
  const guessed = useRate(study, view);
  const [answer, setAnswer] = useState<PlanDocument | null>(null);
  const asked = useProposal(study, answer ?? guessed?.denominator);
  const proposal = asked.data;
  const rate = guessed && proposal && { ...guessed, denominator: proposal.denominator };
  const answers = (denominator: PlanDocument) => {
    setAnswer(denominator);
    if (view.plan.measure.kind === "rate")
      save((p) => {
        p.measure.denominator = denominator;
      });
  };
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
          disabled={!rate || proposal?.refusal !== ""}
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
      {proposal && <AreaRows proposal={proposal} onAnswer={answers} />}
      {asked.error && <Quiet colour={MADDER}>{asked.error.message}</Quiet>}
      {view.plan.measure.kind === "rate" && <RowFilter study={study} view={view} save={save} />}
      {!guessed && (
        <Quiet>Nobody has said how many live in these areas, so there is no rate per resident.</Quiet>
      )}
      {view.plan.measure.kind === "count" && (
        <Typography sx={{ color: MADDER, mt: 1 }}>
          Counts mostly show where people live. Divide by residents or by area before you compare areas.
        </Typography>
      )}
      <Notes view={view} stage="measure" />
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
      <FormControlLabel
        label="do not draw areas without events"
        control={
          <Checkbox
            size="small"
            checked={view.plan.class.hide_empty}
            onChange={(_, hide) =>
              save((p) => {
                p.class.hide_empty = hide;
              })
            }
          />
        }
      />
      {view.ledger.fit !== null && (
        <Quiet>
          The classes take up {Math.round(100 * view.ledger.fit)} % of the variation between areas.
        </Quiet>
      )}
      <Notes view={view} stage="class" />
    </>
  );
}

const RAMPS = ["kelp", "peat", "heather", "slate", "rowan"];

const CORNERS = ["bottom right", "bottom left", "top right", "top left"] as const;

/** Far-off areas in boxes of their own. */
function Insets({ view, save }: { view: View; save: Save }) {
  const { outline, outlineFor, set } = useDoing();
  const insets = view.plan.show.insets as PlanDocument[];
  const change = (at: number, part: PlanDocument) =>
    save((p) => {
      Object.assign(p.show.insets[at], part);
    });
  return (
    <>
      <Head>Areas shown apart</Head>
      {insets.map((inset, i) => (
        <Box
          key={JSON.stringify(inset.corners).slice(0, 200)}
          sx={{ borderBottom: `1px solid ${RULE}`, pb: 0.5 }}
        >
          <Pick
            label={`Box ${i + 1} stands`}
            value={inset.at}
            options={CORNERS.map((c) => [c, c] as const)}
            onChange={(at) => change(i, { at })}
          />
          {view.kind === "zones" && (
            <>
              <FormControlLabel
                label="in a projection of its own"
                control={
                  <Checkbox
                    size="small"
                    checked={inset.own_projection}
                    onChange={(_, own) => change(i, { own_projection: own, projection: {} })}
                  />
                }
              />
              {inset.own_projection && (
                <SystemField
                  label="Projection of the box"
                  value={inset.projection.system ?? "about the middle of its areas"}
                  near={[]}
                  onChange={(system) => change(i, { projection: { system } })}
                />
              )}
            </>
          )}
          <Link
            onClick={() =>
              save((p) => {
                p.show.insets.splice(i, 1);
              })
            }
          >
            take the box out
          </Link>
        </Box>
      ))}
      {outline && outlineFor === "inset" ? (
        <Quiet>Click corners on the map around the areas; Enter ends the outline, Escape gives it up.</Quiet>
      ) : (
        insets.length < 4 && (
          <Button
            size="small"
            variant="outlined"
            sx={{ mt: 1 }}
            onClick={() => set({ outline: [], outlineFor: "inset" })}
          >
            Draw around areas to show apart
          </Button>
        )
      )}
    </>
  );
}

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
      <Insets view={view} save={save} />
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
