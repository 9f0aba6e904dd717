/** Every area as a dot at its value, and the breaks ruled across: taken hold of, typed over, ruled anew, taken out. */
import Box from "@mui/material/Box";
import {
  type KeyboardEvent,
  type MouseEvent,
  type PointerEvent,
  useEffect,
  useMemo,
  useRef,
  useState,
} from "react";
import type { Areas } from "../api/bulk";
import type { Study, View } from "../api/client";
import { figure, whole } from "../format";
import { classOf } from "../outcome/classes";
import { classesNow, nearTies, placesIn, rangesOf, reaching, ruleText } from "../outcome/ruling";
import { termOf } from "../outcome/terms";
import { colourAt } from "../outcome/unclassed";
import { classEntry } from "../plan/bands";
import { mappedClasses } from "../plan/mapped";
import { useParts } from "../state/store";
import { useRailWidth } from "../state/window";
import { BEYOND, INK, PAPER, QUIET } from "../theme";
import { unit } from "../unit";
import { axisOf, valueOn } from "./axes";
import { dotAt, outlineOf, stackDots } from "./dots";
import { textsAt } from "./labels";
import {
  COLUMNS,
  COLUMNS_OF_LONG,
  DOTS_WIDTH,
  nearStep,
  ROW,
  shownClasses,
  useAxis,
  useOnAxis,
} from "./parts";
import { RulingStrip } from "./RulingStrip";
import { Swatch } from "./Swatch";
import { useRuling } from "./useRuling";

const DOT = 5;
/** Where a dot would stand for more areas than this, an outline says more. */
const MOST_A_DOT = 8;
const STEP = 2;
/** Words of more letters want smaller ones and the place of the sums to fit; of still more, two lines. */
const LONG_TEXT = 17;
const LONGER_STILL = 33;
const LONG_SUM = 7;
const GRIP = 9;

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

interface Props {
  study: Study;
  view: View;
  areas: Areas;
  apart: boolean;
}

export function Distribution({ study, view, areas, apart }: Props) {
  const { unclassed, set } = useParts("unclassed", "set");
  const ref = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(300);
  const [typing, setTyping] = useState<number | null>(null);
  const [refused, setRefused] = useState("");
  /** Simpler figures are looked at, which would move areas. */
  const [trying, setTrying] = useState(false);
  const result = view.keys.classed;
  // biome-ignore lint/correctness/useExhaustiveDependencies: other classes are another matter
  useEffect(() => setTrying(false), [result]);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => setHeight(entry.contentRect.height));
    observer.observe(ref.current!);
    return () => observer.disconnect();
  }, []);
  const sorted = useOnAxis(areas, apart);
  const { order, values, reached } = sorted;
  const { axis } = useAxis(values);
  const ruling = useRuling(study, view, sorted);
  const railWidth = useRailWidth();
  const breaks = ruling.moving ? reaching(ruling.inner, values) : view.ledger.breaks;
  const length = Math.max(height - 20, 60);
  const place = useMemo(() => axisOf(axis, values), [axis, values]);
  const dots = useMemo(
    () => stackDots(values.map(place), length, DOT, Math.floor(DOTS_WIDTH / DOT)),
    [values, place, length],
  );
  // An end that lies beyond all values stands at theirs.
  const y = (p: number) => 10 + length * (1 - Math.min(Math.max(p, 0), 1));
  const most = dots.reduce((n, d) => Math.max(n, d.stands), 1);
  const crowded = most > MOST_A_DOT;
  const steps = useMemo(
    () => (crowded ? outlineOf(values.map(place), length, STEP, DOTS_WIDTH) : []),
    [crowded, values, place, length],
  );
  // Zero stands apart, and what has no value nowhere: neither has a place on the axis.
  const [least, greatest] = [values[0], values[values.length - 1]];
  const onAxis = (value: number) => value >= least && value <= greatest;
  const placeOf = (value: number) => (value <= least ? 0 : value >= greatest ? 1 : place(value));
  const fillOf = (value: number) =>
    unclassed
      ? colourAt(value, { least, greatest }, view.unclassed, view.middle)
      : (view.bands[classOf(value, breaks, apart)]?.colour ?? BEYOND);
  const texts = textsAt(breaks.map(placeOf), { top: 10, length, height, band: ROW, breakText: 13 });
  const places = placesIn(view.bands.map((b) => b.range));
  const under = termOf(view, "under");
  const classing = mappedClasses(view.plan);
  // Where locked classes do not fit the figures, others stand in.
  const locked = classing.method === "locked" && classing.at.join() === view.ledger.breaks.join();
  const live = useMemo(() => {
    if (!ruling.moving) return view.bands;
    const classes = classesNow(values, reached, breaks);
    const texts = rangesOf(classes, breaks, places, view.scale, view.whole && view.scale === 1);
    return classes.map((c, i) => ({ ...c, text: texts[i] }));
  }, [ruling.moving, values, reached, breaks, places, view.bands, view.scale, view.whole]);
  const longest = live.reduce((n, band) => Math.max(n, band.text.length), 0);
  const long = longest > LONG_TEXT;
  const columns = long ? COLUMNS_OF_LONG : COLUMNS;
  const inner = breaks.slice(1, -1);
  const nearBy = nearStep(view);
  const near = useMemo(
    () => nearTies(sorted, areas.numerator, breaks, nearBy, locked && !ruling.moving),
    [sorted, areas.numerator, breaks, nearBy, locked, ruling.moving],
  );
  // Ticks that would lie on one another are one.
  const ticks = [...new Set(near.map((i) => Math.round(2 * y(placeOf(areas.value[i]))) / 2))];
  const text = (at: number) => ruleText(inner[at] / view.scale, places);
  // One unit for all sums: whole where they are short.
  const sums = view.bands.some((b) => b.denominator >= 1e7) ? 1e6 : 1;
  const sumText = (n: number) => (sums === 1 ? whole(n) : figure(n / sums));
  const longestSum = live.reduce((n, band) => Math.max(n, sumText(band.denominator).length), 0);
  const valueAt = (event: { clientY: number }, box: DOMRect) =>
    valueOn(axis, values)(Math.min(Math.max(1 - (event.clientY - box.top - 10) / length, 0), 1));
  const dotUnder = (event: MouseEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const at = 10 + length - (event.clientY - box.top);
    if (!crowded) return dotAt(dots, event.clientX - box.left - 6, at, DOT);
    const x = event.clientX - box.left - 5;
    return steps.find((s) => Math.abs(s.y - at) <= STEP / 2 && x >= 0 && x <= s.width);
  };
  const show = (event: MouseEvent<SVGSVGElement>) => {
    if (ruling.moving) return;
    const near = dotUnder(event);
    set({ hovered: near ? order[near.first] : null });
  };
  const choose = (event: MouseEvent<SVGSVGElement>) => {
    if ((event.target as Element).closest("[data-rule]")) return;
    const near = dotUnder(event);
    if (near) set({ selected: order[near.first] });
    else if (values.length > 1 && !locked)
      ruling.rule(valueAt(event, event.currentTarget.getBoundingClientRect()));
  };
  const drag = (at: number) => ({
    onPointerDown: (event: PointerEvent<SVGLineElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      setRefused("");
      setTrying(false);
      ruling.move(at, inner[at]);
    },
    onPointerMove: (event: PointerEvent<SVGLineElement>) => {
      if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
      ruling.move(at, valueAt(event, event.currentTarget.ownerSVGElement!.getBoundingClientRect()));
    },
    onPointerUp: (event: PointerEvent<SVGLineElement>) => {
      event.currentTarget.releasePointerCapture(event.pointerId);
      ruling.release(at);
    },
    onPointerCancel: ruling.leave,
    onDoubleClick: () => setTyping(at),
    onKeyDown: (event: KeyboardEvent<SVGLineElement>) => {
      const up = event.key === "ArrowUp";
      if (up || event.key === "ArrowDown") ruling.step(at, up, event.shiftKey);
      else if (event.key === "Enter") setTyping(at);
      else if (event.key === "Delete" || event.key === "Backspace") ruling.takeOut(at);
      else if (event.key === "Insert" || event.key === "+") ruling.split(at);
      else if (event.key === "Escape" && ruling.moving) ruling.leave();
      else return;
      event.preventDefault();
      event.stopPropagation();
    },
  });
  return (
    <>
      <Box
        sx={{
          display: "grid",
          gridTemplateColumns: `${DOTS_WIDTH + 14}px ${columns}`,
          px: 0,
          fontSize: "0.6875rem",
          color: QUIET,
          borderBottom: `3px double ${INK}`,
        }}
      >
        <Box sx={{ pl: 1.5 }}>
          {crowded ? "width: areas" : most > 1 ? `a dot: up to ${most}` : "a dot: an area"}
        </Box>
        <Box sx={{ gridColumn: "span 2", whiteSpace: "nowrap" }}>
          {view.scale_says ? `range, ${view.scale_says}` : "range, ends included"}
        </Box>
        <Box sx={{ textAlign: "right", pr: long ? 1 : undefined }}>areas</Box>
        {!long && (
          <Box sx={{ textAlign: "right", pr: 1 }}>
            {under?.noun}
            {under && sums > 1 && ", millions"}
          </Box>
        )}
      </Box>
      <Box
        ref={ref}
        sx={{ flex: 1, minHeight: 150 * unit, flexShrink: 0, position: "relative", overflow: "hidden" }}
      >
        {/* biome-ignore lint/a11y/useKeyWithClickEvents: by keyboard a break is ruled from the one below it */}
        <svg
          width={railWidth}
          height={height}
          style={{ position: "absolute", inset: 0 }}
          role="img"
          aria-label="Every area as a dot at its value, and the breaks as lines"
          onMouseMove={show}
          onMouseLeave={() => set({ hovered: null })}
          onClick={choose}
        >
          {unclassed
            ? view.unclassed.map((colour, i) => {
                const at = (k: number) =>
                  y(placeOf(least + ((greatest - least) * k) / view.unclassed.length));
                return (
                  <rect
                    key={colour}
                    x={0}
                    width={4}
                    y={at(i + 1)}
                    height={Math.max(at(i) - at(i + 1), 1)}
                    fill={colour}
                  />
                );
              })
            : view.bands.map((band, i) => (
                <rect
                  // biome-ignore lint/suspicious/noArrayIndexKey: classes keep their order
                  key={i}
                  x={0}
                  width={4}
                  y={y(placeOf(breaks[i + 1]))}
                  height={Math.max(y(placeOf(breaks[i])) - y(placeOf(breaks[i + 1])), 1)}
                  fill={band.colour}
                />
              ))}
          {steps.map((s) => (
            <rect
              key={s.first}
              x={5}
              width={s.width}
              y={y(s.y / length) - STEP / 2}
              height={STEP + 0.3}
              fill={fillOf(values[s.first])}
            />
          ))}
          {(crowded ? [] : dots).map((d) => {
            return (
              <circle
                key={d.first}
                cx={d.x + 6}
                cy={y(d.y / length)}
                r={DOT / 2 - 0.3}
                fill={fillOf(values[d.first])}
                stroke={INK}
                strokeWidth={0.35}
              />
            );
          })}
          {inner.map((b, at) => (
            <line
              // biome-ignore lint/suspicious/noArrayIndexKey: a break keeps its place while it moves
              key={at}
              x1={0}
              x2={railWidth}
              y1={y(placeOf(b))}
              y2={y(placeOf(b))}
              stroke={INK}
              strokeWidth={0.8}
            />
          ))}
          {locked &&
            [breaks[0], breaks[breaks.length - 1]]
              .filter(onAxis)
              .flatMap((end) =>
                [-1, 1].map((side) => (
                  <line
                    key={`${end} ${side}`}
                    x1={0}
                    x2={railWidth}
                    y1={y(placeOf(end)) + side}
                    y2={y(placeOf(end)) + side}
                    stroke={INK}
                    strokeWidth={0.8}
                  />
                )),
              )}
          {ticks.map((at) => (
            <line
              key={at}
              data-near={at}
              x1={DOTS_WIDTH + 13}
              x2={DOTS_WIDTH + 19}
              y1={at}
              y2={at}
              stroke={INK}
              strokeWidth={0.9}
            />
          ))}
          <Marks at={(a) => (onAxis(areas.value[a]) ? y(placeOf(areas.value[a])) : null)} />
        </svg>
        {view.bands.map((band, i) => (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: classes keep their order
            key={i}
            data-band={i}
            sx={{
              position: "absolute",
              left: DOTS_WIDTH + 14,
              right: 0,
              top: texts.bands[i] - ROW / 2,
              height: ROW,
              display: "grid",
              gridTemplateColumns: columns,
              alignItems: "center",
              fontSize: "0.7812rem",
              pointerEvents: "none",
              bgcolor: PAPER,
            }}
          >
            <Swatch
              study={study}
              view={view}
              entry={classEntry(view.ledger.breaks, i)}
              own={i}
              all={shownClasses(view)}
              colour={band.colour}
              range={band.range}
            />
            <Box
              title={live[i].text}
              data-range=""
              sx={{
                whiteSpace: longest > LONGER_STILL ? undefined : "nowrap",
                overflowWrap: "anywhere",
                lineHeight: longest > LONGER_STILL ? 0.9 : undefined,
                fontSize: long ? "0.6562rem" : undefined,
              }}
            >
              {live[i].text}
            </Box>
            <Box sx={{ textAlign: "right", pr: long ? 1 : undefined }}>{whole(live[i].areas)}</Box>
            {!long && (
              <Box
                sx={{
                  textAlign: "right",
                  pr: 1,
                  color: QUIET,
                  fontSize: longestSum > LONG_SUM ? "0.6562rem" : undefined,
                }}
              >
                {under && sumText(live[i].denominator)}
              </Box>
            )}
          </Box>
        ))}
        <Box
          component="svg"
          width={railWidth}
          height={height}
          sx={{
            position: "absolute",
            inset: 0,
            pointerEvents: "none",
            "& [role=slider]:focus": { outline: "none" },
            "& [role=slider]:focus-visible, & [role=slider]:hover": { stroke: INK, strokeOpacity: 0.16 },
          }}
        >
          <title>Breaks</title>
          {(locked ? [] : inner).map((b, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a break keeps its place while it moves
            <g key={at} data-rule={at}>
              <line
                x1={0}
                x2={railWidth}
                y1={y(placeOf(b))}
                y2={y(placeOf(b))}
                stroke="transparent"
                strokeWidth={GRIP}
                style={{ pointerEvents: "stroke", cursor: "ns-resize", touchAction: "none" }}
                tabIndex={0}
                role="slider"
                aria-orientation="vertical"
                aria-label={`Break ${at + 1} of ${inner.length}`}
                aria-valuemin={breaks[at]}
                aria-valuemax={breaks[at + 2]}
                aria-valuenow={b}
                aria-valuetext={text(at)}
                {...drag(at)}
              />
            </g>
          ))}
        </Box>
        {inner.map((_, at) => (
          <Box
            // biome-ignore lint/suspicious/noArrayIndexKey: a break keeps its place while it moves
            key={at}
            title={locked ? "Locked" : "Type another figure"}
            onClick={() => !locked && setTyping(at)}
            sx={{
              position: "absolute",
              right: railWidth - DOTS_WIDTH - 12,
              top: texts.breaks[at] - 7.5 * unit,
              fontSize: "0.6562rem",
              lineHeight: 1.4,
              px: 0.4,
              bgcolor: PAPER,
              cursor: locked ? undefined : "text",
            }}
          >
            {typing === at ? (
              <input
                // biome-ignore lint/a11y/noAutofocus: the field takes the place of the figure just chosen
                autoFocus
                aria-label={`Figure of break ${at + 1}`}
                defaultValue={text(at)}
                onFocus={(event) => event.target.select()}
                onBlur={() => setTyping(null)}
                onKeyDown={(event) => {
                  event.stopPropagation();
                  if (event.key === "Escape") setTyping(null);
                  if (event.key !== "Enter") return;
                  const why = ruling.type(at, event.currentTarget.value, view.scale);
                  setRefused(why);
                  if (!why) setTyping(null);
                }}
                style={{ font: "inherit", width: "4.6rem", color: INK, textAlign: "right" }}
              />
            ) : (
              text(at)
            )}
          </Box>
        ))}
      </Box>
      <RulingStrip
        view={view}
        areas={areas}
        ruling={ruling}
        near={near}
        locked={locked}
        refused={refused}
        putAway={() => setRefused("")}
        trying={trying}
        setTrying={setTrying}
      />
    </>
  );
}
