/** Which way round colours go, and whether they turn at a middle. */
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import type { View } from "../../api/client";
import { Pick } from "../../parts/Fields";
import { KeptField } from "../../parts/KeptField";
import { mappedColours } from "../../plan/mapped";
import type { Colours } from "../../plan/types";
import type { Save } from "../../state/queries";

export function Sides({ view, save, ramps }: { view: View; save: Save; ramps: readonly Colours["ramp"][] }) {
  const now = mappedColours(view.plan);
  const put = (part: Partial<Colours>) =>
    save((plan) => {
      Object.assign(mappedColours(plan), part);
    });
  // Between two of one's own, that there is a middle is all that matters.
  const turning = now.below ?? ramps.find((r) => r !== now.ramp)!;
  return (
    <>
      {now.below === null && (
        <FormControlLabel
          label="dark for little, light for much"
          control={
            <Checkbox size="small" checked={now.reversed} onChange={(_, reversed) => put({ reversed })} />
          }
        />
      )}
      <Pick
        label="Below a middle"
        value={now.below ?? ""}
        options={[
          ["", now.ends ? "straight from the one to the other" : "the same colours"] as const,
          ...(now.ends
            ? [[turning, "pale at a middle, darker to both ends"] as const]
            : ramps.filter((r) => r !== now.ramp).map((r) => [r, r] as const)),
        ]}
        onChange={(below) => put(below ? { below, reversed: false } : { below: null, middle: null })}
      />
      {now.below !== null && <Middle middle={now.middle} put={put} />}
    </>
  );
}

function Middle({ middle, put }: { middle: number | null; put: (part: Partial<Colours>) => void }) {
  const number = (text: string) => (text.trim() === "" ? null : Number(text));
  return (
    <KeptField
      label="The middle"
      value={middle === null ? "" : String(middle)}
      placeholder="the median"
      check={(text) => (Number.isFinite(number(text) ?? 0) ? null : { says: "Give a number, or nothing." })}
      onKeep={(text) => put({ middle: number(text) })}
    />
  );
}
