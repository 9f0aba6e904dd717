/** The funnel: each area's rate against what it rests on, between the limits of chance. Its dots are the map's areas. */

import Box from "@mui/material/Box";
import { useEffect, useMemo, useRef } from "react";
import type { Areas, FunnelPoints } from "../../../api/bulk";
import type { Schemas, View } from "../../../api/client";
import { figure, levelText, plural } from "../../../format";
import { Answer } from "../../../parts/Answer";
import { Quiet } from "../../../parts/parts";
import { nearestPoint } from "../../../rail/nearest";
import { useParts } from "../../../state/store";
import { useFunnel } from "../../../state/sureness";
import { INK, QUIET, RULE } from "../../../theme";

const [WIDTH, HEIGHT] = [392, 290];
const ROOM = { left: 46, right: 8, top: 8, bottom: 34 };
const REACH = 12;

export function FunnelChart({ view, areas }: { view: View; areas: Areas | null }) {
  return (
    <Answer of={useFunnel(view)} awaited="Working it out…">
      {({ limits, points }) =>
        points && limits.limits.length ? (
          <Drawn view={view} areas={areas} limits={limits} points={points} />
        ) : (
          <Quiet>{limits.refusal}</Quiet>
        )
      }
    </Answer>
  );
}

function Drawn(props: {
  view: View;
  areas: Areas | null;
  limits: Schemas["FunnelView"];
  points: FunnelPoints;
}) {
  const { view, areas, limits, points } = props;
  const { hovered, selected, set } = useParts("hovered", "selected", "set");
  const canvas = useRef<HTMLCanvasElement>(null);
  const { x, y, places, top } = useMemo(() => scales(limits, points), [limits, points]);
  const colours = areas?.own;
  useEffect(() => {
    const context = canvas.current?.getContext("2d");
    if (!context) return;
    const density = window.devicePixelRatio || 1;
    context.setTransform(density, 0, 0, density, 0, 0);
    context.clearRect(0, 0, WIDTH, HEIGHT);
    const many = points.x.length > 4000;
    for (let i = 0; i < points.x.length; i++) {
      if (Number.isNaN(places[2 * i])) continue;
      const own = colours?.[i] ?? -1;
      context.fillStyle = (own >= 0 && view.bands[own]?.colour) || QUIET;
      context.strokeStyle = INK;
      context.lineWidth = 0.5;
      context.beginPath();
      context.arc(places[2 * i], places[2 * i + 1], many ? 1.5 : 3, 0, 2 * Math.PI);
      context.fill();
      if (!many) context.stroke();
    }
  }, [points, places, colours, view.bands]);
  const at = (event: React.MouseEvent) => {
    const box = canvas.current!.getBoundingClientRect();
    return nearestPoint(places, event.clientX - box.left, event.clientY - box.top, REACH);
  };
  const line = (values: readonly number[]) =>
    values.map((v, i) => `${i ? "L" : "M"}${x(limits.at[i]).toFixed(1)},${y(v).toFixed(1)}`).join("");
  const density = typeof window === "undefined" ? 1 : window.devicePixelRatio || 1;
  const outer = limits.limits[limits.limits.length - 1];
  const marked = [hovered, selected].filter((one) => one !== null && !Number.isNaN(places[2 * one]));
  return (
    <Box sx={{ mt: 1 }}>
      <Box sx={{ position: "relative", width: WIDTH, height: HEIGHT }}>
        <svg width={WIDTH} height={HEIGHT} style={{ position: "absolute" }} aria-hidden>
          {steps(top).map((tick) => (
            <g key={tick}>
              <line x1={ROOM.left} x2={WIDTH - ROOM.right} y1={y(tick)} y2={y(tick)} stroke={RULE} />
              <text x={ROOM.left - 5} y={y(tick) + 3.5} textAnchor="end" fontSize={11} fill={QUIET}>
                {figure(tick)}
              </text>
            </g>
          ))}
          {tens(limits.at).map((tick) => (
            <g key={tick}>
              <line
                x1={x(tick)}
                x2={x(tick)}
                y1={HEIGHT - ROOM.bottom}
                y2={HEIGHT - ROOM.bottom + 4}
                stroke={INK}
              />
              <text x={x(tick)} y={HEIGHT - ROOM.bottom + 16} textAnchor="middle" fontSize={11} fill={QUIET}>
                {figure(tick)}
              </text>
            </g>
          ))}
          <text x={WIDTH - ROOM.right} y={HEIGHT - 4} textAnchor="end" fontSize={11} fill={QUIET}>
            {limits.x_says}
          </text>
          <line
            x1={ROOM.left}
            x2={WIDTH - ROOM.right}
            y1={HEIGHT - ROOM.bottom}
            y2={HEIGHT - ROOM.bottom}
            stroke={INK}
          />
          <line
            x1={ROOM.left}
            x2={WIDTH - ROOM.right}
            y1={y(limits.middle)}
            y2={y(limits.middle)}
            stroke={INK}
          />
          {limits.limits.map((one, nth) => (
            <g
              key={one.level}
              fill="none"
              stroke={INK}
              strokeWidth={0.9}
              strokeDasharray={nth ? undefined : "4 3"}
            >
              <path d={line(one.low)} />
              <path d={line(one.high)} />
            </g>
          ))}
        </svg>
        <canvas
          ref={canvas}
          width={WIDTH * density}
          height={HEIGHT * density}
          style={{ position: "absolute", width: WIDTH, height: HEIGHT, cursor: "pointer" }}
          role="img"
          aria-label={`Funnel: ${limits.y_says} against ${limits.x_says}`}
          onMouseMove={(event) => set({ hovered: at(event) })}
          onMouseLeave={() => set({ hovered: null })}
          onClick={(event) => set({ selected: at(event) })}
        />
        <svg
          width={WIDTH}
          height={HEIGHT}
          style={{ position: "absolute", pointerEvents: "none" }}
          aria-hidden
        >
          {[...new Set(marked)].map((one) => (
            <circle
              key={one}
              cx={places[2 * one!]}
              cy={places[2 * one! + 1]}
              r={6}
              fill="none"
              stroke={INK}
              strokeWidth={1.6}
            />
          ))}
        </svg>
      </Box>
      <Quiet>
        {areas && hovered !== null && !Number.isNaN(points.y[hovered] ?? Number.NaN)
          ? `${areas.name[hovered]}: ${figure(points.y[hovered])}`
          : limits.limits
              .map((one) => `Outside ${levelText(one.level)}: ${one.below} below, ${one.above} above`)
              .join(". ")}
        .
      </Quiet>
      {view.made.length > 0 && <Quiet>The funnel shows {limits.y_says}.</Quiet>}
      {outer.below + outer.above > 0.2 * numbered(points) && (
        <Quiet>
          {plural(outer.below + outer.above, "area lies", "areas lie")} outside even the wider limits: more
          than chance makes areas differ, so that not each of them is remarkable.
        </Quiet>
      )}
    </Box>
  );
}

function numbered(points: FunnelPoints): number {
  return points.x.reduce((n, x) => n + (Number.isNaN(x) ? 0 : 1), 0);
}

/** Where points lie on the chart: what it rests on by its logarithm, up to as high as areas and limits lie. */
function scales(limits: Schemas["FunnelView"], points: FunnelPoints) {
  const [least, most] = [limits.at[0], limits.at[limits.at.length - 1]];
  const spread = most > least ? [least, most] : [least * 0.5, least * 2];
  const [from, to] = [ROOM.left + 6, WIDTH - ROOM.right - 6];
  const x = (v: number) => from + ((to - from) * Math.log(v / spread[0])) / Math.log(spread[1] / spread[0]);
  let top = limits.middle;
  for (const value of points.y) if (value > top) top = value;
  // The limits of the smallest area may lie far above all areas.
  for (const { high } of limits.limits) top = Math.max(top, Math.min(high[0], 1.5 * top));
  const bottom = HEIGHT - ROOM.bottom;
  const y = (v: number) => bottom - (bottom - ROOM.top) * Math.min(Math.max(v / top, 0), 1);
  const places = new Float64Array(2 * points.x.length);
  for (let i = 0; i < points.x.length; i++) {
    places[2 * i] = Number.isNaN(points.x[i]) ? Number.NaN : x(points.x[i]);
    places[2 * i + 1] = y(points.y[i]);
  }
  return { x, y, places, top };
}

/** Round figures from 0 up, about five of them. */
function steps(top: number): number[] {
  const rough = top / 5;
  const ten = 10 ** Math.floor(Math.log10(rough));
  const by = ten * ([1, 2, 5, 10].find((m) => m * ten >= rough) ?? 10);
  return Array.from({ length: Math.floor(top / by) + 1 }, (_, i) => i * by);
}

/** Powers of ten, or where they are few their doubles and halves. */
function tens(at: readonly number[]): number[] {
  const [least, most] = [at[0], at[at.length - 1]];
  const from = Math.floor(Math.log10(least));
  const found = [1, 2, 5].map((m) =>
    Array.from({ length: Math.ceil(Math.log10(most)) - from + 1 }, (_, k) => m * 10 ** (from + k)).filter(
      (v) => v >= least && v <= most,
    ),
  );
  return (found[0].length > 2 ? found[0] : found.flat()).sort((a, b) => a - b);
}
