/** Show's sheet: the colours, what is drawn, and boxes for far-off areas. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import RadioGroup from "@mui/material/RadioGroup";
import { useState } from "react";
import type { Study, View } from "../../api/client";
import { ColourField } from "../../parts/Fields";
import { Choice, Notes, Question, Quiet, Tabs } from "../../parts/parts";
import { Ticked } from "../../parts/Ticked";
import { mappedColours, mappedMeasure } from "../../plan/mapped";
import type { Colours } from "../../plan/types";
import type { Save } from "../../state/queries";
import { useParts } from "../../state/store";
import { RULE } from "../../theme";
import { HandOn } from "./HandOn";
import { Insets } from "./Insets";
import { LabelSets } from "./LabelSets";
import { Layers } from "./Layers";
import { Sides } from "./Sides";

const RAMPS: readonly Colours["ramp"][] = ["kelp", "peat", "heather", "slate", "rowan"];

const TABS = ["colours", "layers", "labels", "boxes", "hand on"] as const;

export function ShowSheet({ study, view, save }: { study: Study; view: View; save: Save }) {
  const { set } = useParts("set");
  const [tab, setTab] = useState<(typeof TABS)[number]>("colours");
  return (
    <>
      <Question>What does the reader see?</Question>
      <Tabs tabs={TABS} open={tab} onOpen={setTab} />
      {tab === "colours" && <ColoursTab view={view} save={save} />}
      {tab === "layers" && <Layers study={study} view={view} save={save} />}
      {tab === "labels" && <LabelSets view={view} save={save} />}
      {tab === "boxes" && <Insets view={view} save={save} />}
      {tab === "hand on" && <HandOn study={study} view={view} />}
      <Button
        size="small"
        variant="outlined"
        sx={{ mt: 1.5 }}
        onClick={() => set({ figuring: true, comparing: false, sheet: null })}
      >
        Set it on a page
      </Button>
      <Notes view={view} stage="show" />
    </>
  );
}

function ColoursTab({ view, save }: { view: View; save: Save }) {
  const colours = mappedColours(view.plan);
  return (
    <>
      {mappedMeasure(view.plan).kind === "category" ? (
        <Quiet>Kinds have a colour each, none of them more than another.</Quiet>
      ) : (
        <RadioGroup value={colours.ends ? "own" : colours.ramp} aria-label="Colours">
          {RAMPS.map((ramp) => (
            <Choice
              key={ramp}
              value={ramp}
              label={ramp}
              colours={view.ramps[ramp]}
              onChoose={() =>
                save((p) => {
                  const colours = mappedColours(p);
                  colours.ramp = ramp;
                  colours.ends = null;
                  if (colours.below === ramp) colours.below = null;
                })
              }
            />
          ))}
          <Choice
            value="own"
            label="between two of my own"
            onChoose={() =>
              save((p) => {
                mappedColours(p).ends = [
                  view.bands[0]?.colour,
                  view.bands[view.bands.length - 1]?.colour,
                ] as [string, string];
              })
            }
            disabled={view.bands.length < 2}
          />
        </RadioGroup>
      )}
      {colours.ends && (
        <Box sx={{ display: "flex", alignItems: "center", gap: 1 }}>
          {(["lowest class", "highest class"] as const).map((label, i) => (
            <Box key={label} component="label" sx={{ display: "flex", alignItems: "center", gap: 0.5 }}>
              <ColourField
                key={colours.ends![i]}
                label={label}
                value={colours.ends![i]}
                onChange={(colour) =>
                  save((p) => {
                    const ends = mappedColours(p).ends!;
                    ends[i] = colour;
                  })
                }
              />
              {label}
            </Box>
          ))}
        </Box>
      )}
      {mappedMeasure(view.plan).kind !== "category" && <Sides view={view} save={save} ramps={RAMPS} />}
      <Box sx={{ display: "flex", mt: 1, border: `1px solid ${RULE}` }} aria-hidden>
        {view.bands.map((band) => (
          <Box key={band.range} sx={{ flex: 1, height: 14, bgcolor: band.colour }} />
        ))}
      </Box>
      <Ticked
        label="water around the areas"
        on={view.plan.show.around === "water"}
        onChange={(water) =>
          save((p) => {
            p.show.around = water ? "water" : "plain";
          })
        }
      />
      <FormControlLabel
        label="do not draw areas without events"
        control={
          <Checkbox
            size="small"
            checked={view.plan.show.hide_empty}
            onChange={(_, hide) =>
              save((p) => {
                p.show.hide_empty = hide;
              })
            }
          />
        }
      />
    </>
  );
}
