/** The periods in which events were recorded. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { Field } from "../../parts/Fields";
import { Quiet } from "../../parts/parts";
import type { Choices } from "../../plan/choices";

export function PeriodsForm(props: { choices: Choices; set: (change: Partial<Choices>) => void }) {
  const { choices, set } = props;
  const put = (at: number, part: object) =>
    set({ recorded: choices.recorded.map((w, i) => (i === at ? { ...w, ...part } : w)) });
  return (
    <>
      <Quiet>Periods in which events were recorded; rates divide by them.</Quiet>
      {choices.recorded.map((w, i) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: windows have no other name while they are typed
        <Box key={i} sx={{ display: "flex", gap: 0.75, alignItems: "center" }}>
          <Field label="Called" value={w.name} onChange={(name) => put(i, { name })} />
          <Field
            label="First day"
            type="date"
            value={w.first_day}
            onChange={(d) => put(i, { first_day: d })}
          />
          <Field label="Last day" type="date" value={w.last_day} onChange={(d) => put(i, { last_day: d })} />
          <Button
            size="small"
            aria-label={`Take out period ${i + 1}`}
            sx={{ minWidth: 28 }}
            onClick={() => set({ recorded: choices.recorded.filter((_, at) => at !== i) })}
          >
            ×
          </Button>
        </Box>
      ))}
      <Button
        size="small"
        onClick={() => set({ recorded: [...choices.recorded, { name: "", first_day: "", last_day: "" }] })}
      >
        Add a period
      </Button>
    </>
  );
}
