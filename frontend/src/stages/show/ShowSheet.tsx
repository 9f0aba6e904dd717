/** Show's sheet: the colours, what is drawn, and boxes for far-off areas. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import RadioGroup from "@mui/material/RadioGroup";
import type { View } from "../../api/client";
import { Choice, Question, Quiet } from "../../parts/parts";
import { mappedColours, mappedMeasure } from "../../plan/mapped";
import type { Colours } from "../../plan/types";
import type { Save } from "../../state/queries";
import { RULE } from "../../theme";
import { Insets } from "./Insets";
import { Sides } from "./Sides";

const RAMPS: readonly Colours["ramp"][] = ["kelp", "peat", "heather", "slate", "rowan"];

export function ShowSheet({ view, save }: { view: View; save: Save }) {
  return (
    <>
      <Question>What does the reader see?</Question>
      {mappedMeasure(view.plan).kind === "category" ? (
        <Quiet>Kinds have a colour each, none of them more than another.</Quiet>
      ) : (
        <RadioGroup value={mappedColours(view.plan).ramp} aria-label="Colours">
          {RAMPS.map((ramp) => (
            <Choice
              key={ramp}
              value={ramp}
              label={ramp}
              onChoose={() =>
                save((p) => {
                  const colours = mappedColours(p);
                  colours.ramp = ramp;
                  if (colours.below === ramp) colours.below = null;
                })
              }
            />
          ))}
        </RadioGroup>
      )}
      {mappedMeasure(view.plan).kind !== "category" && <Sides view={view} save={save} ramps={RAMPS} />}
      <Box sx={{ display: "flex", mt: 1, border: `1px solid ${RULE}` }} aria-hidden>
        {view.bands.map((band) => (
          <Box key={band.colour} sx={{ flex: 1, height: 14, bgcolor: band.colour }} />
        ))}
      </Box>
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
      <Insets view={view} save={save} />
    </>
  );
}
