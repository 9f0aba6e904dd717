/** The periods in which events were recorded. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { KeptField } from "../../parts/KeptField";
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
          <KeptField label="Called" value={w.name} onKeep={(name) => put(i, { name })} />
          <KeptField
            label="First day"
            type="date"
            value={w.first_day}
            onKeep={(first_day) => put(i, { first_day })}
          />
          <KeptField
            label="Last day"
            type="date"
            value={w.last_day}
            onKeep={(last_day) => put(i, { last_day })}
          />
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
