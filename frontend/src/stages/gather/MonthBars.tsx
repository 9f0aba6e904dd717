/** A bar a month; dragging over them keeps the events of that span. */

import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import type { Tally } from "../../api/client";
import { plural } from "../../format";
import { KeptField } from "../../parts/KeptField";
import { type Change, monthEnd, parts, put } from "../../plan/filter";
import type { Condition } from "../../plan/types";
import { INK, QUIET, RULE } from "../../theme";

interface Props {
  months: Tally["months"];
  where: readonly Condition[];
  change: Change;
}

const LIKE = (c: Condition) => c.kind === "days";

export function MonthBars({ months, where, change }: Props) {
  const [drag, setDrag] = useState<{ from: number; to: number } | null>(null);
  const found = parts(where).find(LIKE);
  const now = found?.kind === "days" ? found : undefined;
  const most = Math.max(...months.map((m) => m.events), 1);
  const chosen = (i: number) => {
    if (drag) return i >= Math.min(drag.from, drag.to) && i <= Math.max(drag.from, drag.to);
    return !now || (monthEnd(months[i].value) >= now.first_day && months[i].value <= now.last_day);
  };
  const [first, last] = [months[0].value, monthEnd(months[months.length - 1].value)];
  const keep = (from: string, to: string) =>
    change((w) => put(w, LIKE, { kind: "days", first_day: from, last_day: to }));
  const objection = (from: string, to: string, typed: string) => {
    if (!typed) return { says: "Give a whole day." };
    if (from > to) return { says: "The first day must come before the last." };
    if (typed >= first && typed <= last) return null;
    return { says: `The events are of ${first} to ${last}.`, may: true };
  };
  const end = () => {
    if (drag) {
      const [a, b] = [Math.min(drag.from, drag.to), Math.max(drag.from, drag.to)];
      keep(months[a].value, monthEnd(months[b].value));
    }
    setDrag(null);
  };
  const at = (event: React.PointerEvent<HTMLDivElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const i = Math.floor(((event.clientX - box.left) / box.width) * months.length);
    return Math.min(Math.max(i, 0), months.length - 1);
  };
  return (
    <>
      <Box
        data-testid="months"
        role="img"
        aria-label={`Events by month, ${months[0].value.slice(0, 7)} to ${months[months.length - 1].value.slice(0, 7)}`}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setDrag({ from: at(event), to: at(event) });
        }}
        onPointerMove={(event) => drag && setDrag({ ...drag, to: at(event) })}
        onPointerUp={end}
        sx={{
          display: "flex",
          alignItems: "flex-end",
          height: 48,
          mt: 0.5,
          borderBottom: `1px solid ${INK}`,
          cursor: "ew-resize",
          touchAction: "none",
        }}
      >
        {months.map((m, i) => (
          <Box
            key={m.value}
            title={`${m.value.slice(0, 7)}: ${plural(m.events, "event")}`}
            sx={{ flex: 1, minWidth: 0, borderRight: months.length < 40 ? "1px solid transparent" : 0 }}
            style={{ height: `${(100 * m.events) / most}%`, background: chosen(i) ? INK : RULE }}
          />
        ))}
      </Box>
      <Box sx={{ display: "flex", justifyContent: "space-between", fontSize: "0.6875rem", color: QUIET }}>
        <span>{months[0].value.slice(0, 7)}</span>
        <span>{months[months.length - 1].value.slice(0, 7)}</span>
      </Box>
      <Box sx={{ display: "flex", gap: 1 }}>
        <KeptField
          label="First day"
          type="date"
          value={now?.first_day ?? ""}
          check={(d) => objection(d, now?.last_day ?? last, d)}
          onKeep={(d) => keep(d, now?.last_day ?? last)}
        />
        <KeptField
          label="Last day"
          type="date"
          value={now?.last_day ?? ""}
          check={(d) => objection(now?.first_day ?? first, d, d)}
          onKeep={(d) => keep(now?.first_day ?? first, d)}
        />
      </Box>
      {now && (
        <Button size="small" onClick={() => change((w) => put(w, LIKE, null))}>
          All days again
        </Button>
      )}
    </>
  );
}
