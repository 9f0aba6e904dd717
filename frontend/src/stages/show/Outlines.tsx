/** The lines between areas. */
import Box from "@mui/material/Box";
import type { View } from "../../api/client";
import { plural } from "../../format";
import { Pick } from "../../parts/Fields";
import type { Save } from "../../state/queries";

const WIDTHS = [1, 2, 3, 4];

export function Outlines({ view, save }: { view: View; save: Save }) {
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
