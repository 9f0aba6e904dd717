/** Show's sheet: the colours, what is drawn, and boxes for far-off areas. */
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import RadioGroup from "@mui/material/RadioGroup";
import type { View } from "../../api/client";
import { plural } from "../../format";
import { ColourField, Pick } from "../../parts/Fields";
import { Choice, Notes, Question, Quiet } from "../../parts/parts";
import { mappedColours, mappedMeasure } from "../../plan/mapped";
import type { Colours } from "../../plan/types";
import type { Save } from "../../state/queries";
import { RULE } from "../../theme";
import { Insets } from "./Insets";
import { Sides } from "./Sides";

const RAMPS: readonly Colours["ramp"][] = ["kelp", "peat", "heather", "slate", "rowan"];

export function ShowSheet({ view, save }: { view: View; save: Save }) {
  const colours = mappedColours(view.plan);
  return (
    <>
      <Question>What does the reader see?</Question>
      {mappedMeasure(view.plan).kind === "category" ? (
        <Quiet>Kinds have a colour each, none of them more than another.</Quiet>
      ) : (
        <RadioGroup value={colours.ends ? "own" : colours.ramp} aria-label="Colours">
          {RAMPS.map((ramp) => (
            <Choice
              key={ramp}
              value={ramp}
              label={ramp}
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
      <Outlines view={view} save={save} />
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
      <Notes view={view} stage="show" />
    </>
  );
}

const WIDTHS = [1, 2, 3, 4];

/** The lines between areas. */
function Outlines({ view, save }: { view: View; save: Save }) {
  const { draw, colour, width } = view.plan.show.outlines;
  const drawn = draw === "line" ? `line ${width}` : draw;
  return (
    <Box sx={{ display: "flex", gap: 1 }}>
      <Pick
        label="Outlines of areas"
        value={drawn}
        options={[
          ["hairline", "hairlines"],
          ...WIDTHS.map((w) => [`line ${w}`, `${plural(w, "pixel")} thick`] as const),
          ["none", "none"],
        ]}
        onChange={(next) =>
          save((p) => {
            const lines = p.show.outlines;
            if (next === "hairline" || next === "none") lines.draw = next;
            else [lines.draw, lines.width] = ["line", Number(next.split(" ")[1])];
          })
        }
      />
      {draw !== "none" && (
        <Pick
          label="in the colour of"
          value={colour}
          options={[
            ["paper", "paper"],
            ["ink", "ink"],
          ]}
          onChange={(next) =>
            save((p) => {
              p.show.outlines.colour = next;
            })
          }
        />
      )}
    </Box>
  );
}
