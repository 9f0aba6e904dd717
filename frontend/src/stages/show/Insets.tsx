/** Far-off areas in boxes of their own. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import type { View } from "../../api/client";
import { Pick } from "../../parts/Fields";
import { Head, Link, Quiet } from "../../parts/parts";
import { SystemField } from "../../parts/SystemField";
import { projectionOf } from "../../plan/place";
import type { Inset } from "../../plan/types";
import type { Save } from "../../state/queries";
import { useParts } from "../../state/store";
import { RULE } from "../../theme";

const CORNERS = ["bottom right", "bottom left", "top right", "top left"] as const;

export function Insets({ view, save }: { view: View; save: Save }) {
  const { outline, outlineFor, set } = useParts("outline", "outlineFor", "set");
  const insets = view.plan.show.insets;
  const change = (at: number, part: Partial<Inset>) =>
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
                    onChange={(_, own) => change(i, { own_projection: own, projection: projectionOf(null) })}
                  />
                }
              />
              {inset.own_projection && (
                <SystemField
                  label="Projection of the box"
                  value={inset.projection.system ?? "about the middle of its areas"}
                  near={[]}
                  onChange={(system) => change(i, { projection: projectionOf(system) })}
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
