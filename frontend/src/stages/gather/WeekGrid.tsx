/** Seven days by twenty-four hours, shaded by count, to paint on. */
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import { useState } from "react";
import { plural } from "../../format";
import { DAYS, painted } from "../../plan/filter";
import { INK, QUIET } from "../../theme";

interface Cell {
  day: number;
  hour: number;
}

interface Props {
  counts: readonly number[];
  week: readonly string[] | null;
  change: (week: string[] | null) => void;
}

export function WeekGrid({ counts, week, change }: Props) {
  const [drag, setDrag] = useState<{ from: Cell; to: Cell; on: boolean } | null>(null);
  const [at, setAt] = useState<Cell>({ day: 0, hour: 0 });
  const [focused, setFocused] = useState(false);
  const most = Math.max(...counts, 1);
  const shown = drag ? painted(week, drag.from, drag.to, drag.on) : week;
  const isOn = (c: Cell) => week?.[c.day][c.hour] === "1";
  const begin = (c: Cell) => setDrag({ from: c, to: c, on: !isOn(c) });
  const end = () => {
    if (drag) change(painted(week, drag.from, drag.to, drag.on));
    setDrag(null);
  };
  const cellOf = (event: React.PointerEvent): Cell | null => {
    const found = document.elementFromPoint(event.clientX, event.clientY)?.getAttribute("data-hour");
    return found ? { day: Math.floor(Number(found) / 24), hour: Number(found) % 24 } : null;
  };
  const onKeyDown = (event: React.KeyboardEvent) => {
    const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[event.key];
    if (step) setAt({ day: (at.day + step[0] + 7) % 7, hour: (at.hour + step[1] + 24) % 24 });
    else if (event.key === " " || event.key === "Enter") change(painted(week, at, at, !isOn(at)));
    else return;
    event.preventDefault();
  };
  return (
    <>
      <Box
        role="application"
        aria-label={`Hours of the week. ${DAYS[at.day]} ${at.hour} to ${at.hour + 1}: ${plural(counts[24 * at.day + at.hour], "event")}, ${isOn(at) ? "chosen" : "not chosen"}. Arrow keys move, space chooses.`}
        data-testid="week"
        tabIndex={0}
        onKeyDown={onKeyDown}
        onFocus={(event) => setFocused(event.target.matches(":focus-visible"))}
        onBlur={() => setFocused(false)}
        onPointerDown={(event) => {
          const c = cellOf(event);
          if (c) begin(c);
        }}
        onPointerMove={(event) => {
          const c = drag && cellOf(event);
          if (c) setDrag({ ...drag, to: c });
        }}
        onPointerUp={end}
        onPointerLeave={end}
        sx={{
          display: "grid",
          gridTemplateColumns: "2rem repeat(24, 1fr)",
          mt: 0.5,
          touchAction: "none",
          userSelect: "none",
          cursor: "crosshair",
        }}
      >
        {DAYS.map((name, day) => (
          <Row
            key={name}
            name={name}
            day={day}
            counts={counts}
            most={most}
            shown={shown}
            at={focused ? at : null}
          />
        ))}
        <span />
        {[0, 6, 12, 18].map((hour) => (
          <Box key={hour} sx={{ gridColumn: "span 6", fontSize: "0.6875rem", color: QUIET }}>
            {hour}
          </Box>
        ))}
      </Box>
      {week && (
        <Button size="small" onClick={() => change(null)}>
          All hours again
        </Button>
      )}
    </>
  );
}

function Row(props: {
  name: string;
  day: number;
  counts: readonly number[];
  most: number;
  shown: readonly string[] | null;
  at: Cell | null;
}) {
  const { name, day, counts, most, shown, at } = props;
  return (
    <>
      <Box sx={{ fontSize: "0.6875rem", color: QUIET }}>{name}</Box>
      {Array.from({ length: 24 }, (_, hour) => {
        const on = shown?.[day][hour] === "1";
        const shade = Math.round(96 - 46 * Math.sqrt(counts[24 * day + hour] / most));
        return (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: hours stand in order
            key={hour}
            data-hour={24 * day + hour}
            title={`${name} ${hour} to ${hour + 1}: ${plural(counts[24 * day + hour], "event")}`}
            sx={{
              height: 13,
              outline: at?.day === day && at.hour === hour ? `1px solid ${INK}` : undefined,
              outlineOffset: -1,
            }}
            style={{
              background: `hsl(200 12% ${shade}%)`,
              boxShadow: on ? `inset 0 -5px 0 ${INK}` : undefined,
            }}
          />
        );
      })}
    </>
  );
}
