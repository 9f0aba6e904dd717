/** The break rail: distribution and legend in one, a page of the ledger. The highest stands on top. */

import Box from "@mui/material/Box";
import ButtonBase from "@mui/material/ButtonBase";
import { useEffect, useMemo, useRef, useState } from "react";
import type { Areas } from "../api/bulk";
import type { View } from "../api/client";
import { whole } from "../format";
import { classOf } from "../outcome/classes";
import { termOf } from "../outcome/terms";
import { mappedClasses } from "../plan/mapped";
import { RAIL_WIDTH } from "../state/hang";
import { useParts } from "../state/store";
import { BEYOND, HATCH, HEADING, INK, PAPER, QUIET, RULE, ZERO } from "../theme";
import { unit } from "../unit";
import { axesFor, axisOf, fittingAxis } from "./axes";
import { dotAt, stackDots } from "./dots";
import { textsAt } from "./labels";

const DOTS_WIDTH = 80;
const DOT = 5;
const ROW = 19 * unit;
/** Swatch, range, areas, what they are divided by. */
const COLUMNS = "14px 1fr 2.25rem 4.4rem";

/** The selected area, and the one under the pointer, on the axis: rendered without the rest of the rail. */
function Marks({ at }: { at: (area: number) => number | null }) {
  const { hovered, selected } = useParts("hovered", "selected");
  return [...new Set([hovered, selected])].map((area) => {
    const y = area === null ? null : at(area);
    return y === null ? null : (
      <g key={area}>
        <line x1={0} x2={DOTS_WIDTH + 8} y1={y} y2={y} stroke={INK} strokeWidth={1.6} />
        <circle cx={DOTS_WIDTH + 8} cy={y} r={3.2} fill={INK} />
      </g>
    );
  });
}

export function Rail({ view, areas }: { view: View; areas: Areas }) {
  const { axis: chosen, set } = useParts("axis", "set");
  const ref = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(300);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setHeight(entry.contentRect.height));
    observer.observe(ref.current!);
    return () => observer.disconnect();
  }, []);
  const breaks = view.ledger.breaks;
  const apart = mappedClasses(view.plan).zero === "apart";
  const unreliable = useMemo(() => areas.unreliable.reduce((n, flag) => n + flag, 0), [areas]);
  const order = useMemo(() => {
    const numbered = Array.from(areas.value.keys()).filter((i) => {
      const v = areas.value[i];
      return !Number.isNaN(v) && !(apart && v === 0);
    });
    return numbered.sort((a, b) => areas.value[a] - areas.value[b]);
  }, [areas, apart]);
  const values = useMemo(() => order.map((i) => areas.value[i]), [order, areas]);
  const axes = axesFor(values);
  const axis = chosen && axes.includes(chosen) ? chosen : fittingAxis(values);
  const length = Math.max(height - 20, 60);
  const place = useMemo(() => axisOf(axis, values), [axis, values]);
  const dots = useMemo(
    () => stackDots(values.map(place), length, DOT, Math.floor(DOTS_WIDTH / DOT)),
    [values, place, length],
  );
  const y = (p: number) => 10 + length * (1 - p);
  const most = dots.reduce((n, d) => Math.max(n, d.stands), 1);
  // Zero stands apart, and what has no value nowhere: neither has a place on the axis.
  const [least, greatest] = [values[0], values[values.length - 1]];
  const onAxis = (value: number) => value >= least && value <= greatest;
  const texts = textsAt(breaks.map(place), { top: 10, length, height, band: ROW, breakText: 13 });
  const upperEnds = view.bands.map((b) => b.text.split(" to ").at(-1));
  const under = termOf(view, "under");
  const show = (event: React.MouseEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const near = dotAt(dots, event.clientX - box.left - 6, 10 + length - (event.clientY - box.top), DOT);
    set({ hovered: near ? order[near.first] : null });
  };
  return (
    <Box
      component="aside"
      aria-label="Break rail"
      sx={{
        width: RAIL_WIDTH,
        flexShrink: 0,
        display: "flex",
        flexDirection: "column",
        borderRight: `1px solid ${INK}`,
        bgcolor: PAPER,
      }}
    >
      <Box sx={{ px: 1.5, pt: 1.25, pb: 0.75 }}>
        <Box sx={{ fontFamily: HEADING, fontSize: "1.05rem", lineHeight: 1.2 }}>
          {view.plan.show.title || "Areas"}
        </Box>
        <Box sx={{ color: QUIET, fontSize: "0.8125rem" }}>{view.value_name}</Box>
        <Box
          sx={{ display: "flex", gap: 1.5, mt: 0.5, fontSize: "0.8125rem" }}
          role="group"
          aria-label="Axis"
        >
          {axes.map((a) => (
            <ButtonBase
              key={a}
              aria-pressed={a === axis}
              onClick={() => set({ axis: a })}
              sx={{
                font: "inherit",
                fontSize: "inherit",
                borderBottom: a === axis ? `2px solid ${INK}` : "2px solid transparent",
                color: a === axis ? INK : QUIET,
              }}
            >
              {a}
            </ButtonBase>
          ))}
        </Box>
      </Box>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: `${DOTS_WIDTH + 14}px ${COLUMNS}`,
          px: 0,
          fontSize: "0.6875rem",
          color: QUIET,
          borderBottom: `3px double ${INK}`,
        }}
      >
        <Box sx={{ pl: 1.5 }}>{most > 1 ? `a dot: up to ${most}` : "a dot: an area"}</Box>
        <Box sx={{ gridColumn: "span 2" }}>range</Box>
        <Box sx={{ textAlign: "right" }}>areas</Box>
        <Box sx={{ textAlign: "right", pr: 1 }}>{under?.noun}</Box>
      </Box>
      <Box ref={ref} sx={{ flex: 1, minHeight: 80, position: "relative", overflow: "hidden" }}>
        <svg
          width={RAIL_WIDTH}
          height={height}
          style={{ position: "absolute", inset: 0 }}
          role="img"
          aria-label="Every area as a dot at its value, and the breaks as lines"
          onMouseMove={show}
          onMouseLeave={() => set({ hovered: null })}
        >
          {view.bands.map((band, i) => (
            <rect
              key={band.colour}
              x={0}
              width={4}
              y={y(place(breaks[i + 1]))}
              height={Math.max(y(place(breaks[i])) - y(place(breaks[i + 1])), 1)}
              fill={band.colour}
            />
          ))}
          {dots.map((d) => {
            const band = view.bands[classOf(areas.value[order[d.first]], breaks, apart)];
            return (
              <circle
                key={d.first}
                cx={d.x + 6}
                cy={y(d.y / length)}
                r={DOT / 2 - 0.3}
                fill={band?.colour}
                stroke={INK}
                strokeWidth={0.35}
              />
            );
          })}
          {breaks.slice(1, -1).map((b) => (
            <line
              key={b}
              x1={0}
              x2={RAIL_WIDTH}
              y1={y(place(b))}
              y2={y(place(b))}
              stroke={INK}
              strokeWidth={0.8}
            />
          ))}
          <Marks at={(a) => (onAxis(areas.value[a]) ? y(place(areas.value[a])) : null)} />
        </svg>
        {view.bands.map((band, i) => (
          <Box
            key={band.colour}
            data-band={i}
            sx={{
              position: "absolute",
              left: DOTS_WIDTH + 14,
              right: 0,
              top: texts.bands[i] - ROW / 2,
              height: ROW,
              display: "grid",
              gridTemplateColumns: COLUMNS,
              alignItems: "center",
              fontSize: "0.7812rem",
              pointerEvents: "none",
              bgcolor: PAPER,
            }}
          >
            <Box sx={{ width: 9, height: 9, bgcolor: band.colour, border: `0.5px solid ${INK}` }} />
            <Box sx={{ whiteSpace: "nowrap" }}>{band.text}</Box>
            <Box sx={{ textAlign: "right" }}>{whole(band.areas)}</Box>
            <Box sx={{ textAlign: "right", pr: 1, color: QUIET }}>{under && whole(band.denominator)}</Box>
          </Box>
        ))}
        {breaks.slice(1, -1).map((b, i) => (
          <Box
            key={b}
            sx={{
              position: "absolute",
              right: RAIL_WIDTH - DOTS_WIDTH - 12,
              top: texts.breaks[i] - 7.5 * unit,
              fontSize: "0.6562rem",
              lineHeight: 1.4,
              px: 0.4,
              bgcolor: PAPER,
              pointerEvents: "none",
            }}
          >
            {upperEnds[i]}
          </Box>
        ))}
      </Box>
      <Box sx={{ borderTop: `3px double ${INK}`, fontSize: "0.7812rem", py: 0.5 }}>
        {apart && <Apart colour={ZERO} label="zero" areas={view.zero} />}
        {view.beyond > 0 && <Apart colour={BEYOND} label="outside the classes" areas={view.beyond} />}
        {view.states.map((s) => (
          <Apart key={s.state} label={s.state} areas={s.areas} />
        ))}
        {unreliable > 0 && <Apart label="unreliable, dotted" areas={unreliable} dotted />}
      </Box>
    </Box>
  );
}

function Apart(props: { colour?: string; label: string; areas: number; dotted?: boolean }) {
  const { colour, label, areas } = props;
  const hatch = `repeating-linear-gradient(135deg, ${PAPER} 0 3px, ${HATCH} 3px 4px)`;
  const dots = `radial-gradient(circle at 1.5px 1.5px, ${HATCH} 1px, ${PAPER} 1.2px) 0 0 / 4px 4px`;
  return (
    <Box
      sx={{
        display: "grid",
        gridTemplateColumns: COLUMNS,
        alignItems: "center",
        ml: `${DOTS_WIDTH + 14}px`,
        height: ROW,
      }}
    >
      <Box
        sx={{
          width: 9,
          height: 9,
          background: props.dotted ? dots : (colour ?? hatch),
          border: `0.5px solid ${INK}`,
          borderColor: colour ? INK : RULE,
        }}
      />
      <span>{label}</span>
      <Box sx={{ textAlign: "right" }}>{whole(areas)}</Box>
    </Box>
  );
}
